//! Where translators see a text as it is read.

use diaporos_core::lane::FieldExpression;
use diaporos_core::settings::{Item, Section};
use indexmap::IndexMap;

use super::read::BriefReader;
use crate::config::expression::Expressions;

impl BriefReader<'_> {
    /// The expressions by what is there: a page, a picture of the screen.
    pub(super) fn references(
        &mut self,
        table: &mut Section<'_>,
        expressions: &mut Expressions<'_>,
    ) -> IndexMap<String, FieldExpression> {
        let Some(mut section) = table.section("references", self.report) else { return IndexMap::new() };
        let names = section.names();
        let read = |name: Item<String>| {
            let item = section.named_text(&name.value, self.report)?;
            Some((name.value, expressions.read(&item, self.report)?))
        };
        names.into_iter().filter_map(read).collect()
    }
}
