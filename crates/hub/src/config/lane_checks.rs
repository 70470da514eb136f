//! A lane held against what its destination takes and can do.

use diaporos_core::diagnostic::{Code, Diagnostic};
use diaporos_core::lane::{Documents, FieldExpression, Target, TypeRef, check_field};
use diaporos_core::plan::GonePolicy;
use diaporos_core::settings::{InnerText, Item, Section};
use indexmap::IndexMap;

use super::ends::Names;

/// Expressions by field, each with its text; those that could not be read without a program.
pub(super) type Read = IndexMap<String, (Item<InnerText>, Option<FieldExpression>)>;

impl Names<'_> {
    /// What each expression gives must be what the destination's field takes.
    pub(super) fn check_values(&mut self, target: &Target, fields: &Read, defaults: &Read) {
        let Some(known) = &target.fields else { return };
        let default_of = |name: &str| defaults.get(name).and_then(|(_, default)| default.as_ref());
        for (name, (item, expression)) in fields {
            let (Some(expression), Some(field)) = (expression, known.fields.get(name)) else { continue };
            for finding in check_field(name, expression, default_of(name), field, target) {
                self.report.add(finding.within(|span| item.value.in_file(span)));
            }
        }
        for (name, (item, expression)) in defaults {
            let (Some(expression), Some(field)) = (expression, known.fields.get(name)) else { continue };
            // A field of its own is checked together with its default.
            let found = check_field(name, expression, None, field, target);
            for finding in found.into_iter().filter(|finding| finding.is_error() || !fields.contains_key(name)) {
                self.report.add(finding.within(|span| item.value.in_file(span)));
            }
        }
    }

    /// Every mapped field must be one that the destination has, and every required one mapped.
    pub(super) fn check_fields(&mut self, target: &Target, names: &[Item<String>], section: &Section<'_>) {
        let Some(known) = &target.fields else { return };
        for name in names.iter().filter(|name| !known.fields.contains_key(&name.value)) {
            let message = format!("the destination has no field `{}`", name.value);
            let finding = Diagnostic::error(Code::UnknownField, name.span.clone(), message);
            self.report.add(finding.suggest(&name.value, known.fields.keys().map(String::as_str)));
        }
        for (required, _) in known.fields.iter().filter(|(_, field)| field.required) {
            if !names.iter().any(|name| name.value == *required) {
                let message =
                    format!("the destination requires `{required}`, and `{}` does not map it", section.path());
                self.report.add(
                    Diagnostic::error(Code::Lane, section.span(), message).label(format!("add `{required} = …` here")),
                );
            }
        }
    }

    /// Without a key a document that exists there is doubled, and a lost answer cannot be settled.
    pub(super) fn check_key(
        &mut self,
        to: &TypeRef,
        key: Option<&Item<InnerText>>,
        names: &[Item<String>],
        table: &Section<'_>,
    ) {
        let finds = self.profile(&to.system).is_some_and(|rest| rest.finds(&to.kind));
        match key {
            None => {
                let finding =
                    Diagnostic::error(Code::Lane, table.span(), format!("`{}` needs the key `match`", table.path()));
                self.report.add(finding.label("which destination field tells documents apart?").help(
                    "for example `match = \"slug\"`: a document that exists there is adopted and not doubled, and a lost answer is settled by it",
                ));
            }
            Some(item) if !names.iter().any(|name| name.value == item.value.as_str()) => {
                let field = item.value.as_str();
                let finding = Diagnostic::error(
                    Code::UnknownField,
                    item.span.clone(),
                    format!("`match` names `{field}`, which the lane does not map"),
                );
                self.report.add(finding.suggest(field, names.iter().map(|name| name.value.as_str())));
            }
            Some(item) if !finds && self.around.profiles_are_sound => {
                let message = format!("the profile of `{}` cannot find a `{}` by its key", to.system, to.kind);
                self.report.add(
                    Diagnostic::error(Code::Lane, item.span.clone(), message)
                        .help("add `find` and `found` to its `write` table"),
                );
            }
            Some(_) => {}
        }
    }

    /// What is to go must be something that the destination can do.
    pub(super) fn check_gone(&mut self, to: &TypeRef, gone: Option<GonePolicy>, target: &Target, table: &Section<'_>) {
        let Some(profile) = self.profile(&to.system) else { return };
        let lacks = match gone {
            Some(GonePolicy::Withdraw) if !profile.withdraws(&to.kind) => "withdraw",
            Some(GonePolicy::Delete) if !profile.deletes(&to.kind) => "delete",
            _ if target.documents == Documents::PerLanguage
                && !profile.withdraws(&to.kind)
                && !profile.deletes(&to.kind) =>
            {
                "withdraw"
            }
            _ => return,
        };
        let message = format!(
            "`{}` should {lacks} what is gone, and the profile of `{}` does not say how",
            table.path(),
            to.system
        );
        let finding = Diagnostic::error(Code::Lane, table.span(), message);
        self.report
            .add(finding.help(format!("add `{lacks}` to the profile's `write` table, or say `gone = \"keep\"`")));
    }
}
