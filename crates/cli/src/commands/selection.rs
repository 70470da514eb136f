//! Which entries a command is about.

use clap::Args;
use diaporos_core::expr::{KnownFields, Program, Slots};
use diaporos_core::value::{Address, State};
use diaporos_hub::config::{Config, View};
use diaporos_hub::look::{EntryQuery, Glance, entries};
use diaporos_store::Store;

use super::{no_entry, unknown};
use crate::context::Context;
use crate::error::Failure;
use crate::typed::Typed;

/// Which entries are meant.
#[derive(Debug, Clone, Default, PartialEq, Args)]
pub(crate) struct Selection {
    /// A view of the configuration; what is given beside it goes before it.
    #[arg(long, value_name = "NAME")]
    view: Option<String>,
    /// Only those of this system.
    #[arg(long, value_name = "SYSTEM")]
    system: Option<String>,
    /// Only those of this type.
    #[arg(long = "type", value_name = "TYPE")]
    kind: Option<String>,
    /// Only those in these states: draft, scheduled, live, withdrawn, gone. All but gone where not given.
    #[arg(long, value_name = "STATES", value_delimiter = ',', value_parser = state)]
    state: Vec<State>,
    /// Only those with all of these words, in any language, whatever case and accents; where few have
    /// them, the last may be the start of a word.
    #[arg(long, value_name = "TEXT")]
    text: Option<String>,
    /// Only those for which a field expression holds.
    #[arg(long = "where", value_name = "EXPRESSION")]
    holds: Option<String>,
}

/// A selection that was read, while more is read against the same fields.
pub(crate) struct Selected<'a> {
    /// The view that was named.
    pub(crate) view: View,
    /// Reads more expressions over the same entries.
    pub(crate) typed: Typed<'a>,
    query: EntryQuery,
}

impl Selection {
    /// Reads what was typed; what is given goes before what a view says.
    pub(crate) fn read<'a>(&self, config: &'a Config) -> Result<Selected<'a>, Failure> {
        let view = view(config, self.view.as_deref())?;
        let system = self.system.clone().or(view.system.clone());
        if let Some(name) = &system {
            super::system(config, name)?;
        }
        let kind = self.kind.clone().or(view.kind.clone());
        let known = known_fields(config, system.as_deref(), kind.as_deref());
        let mut typed = Typed { known, library: &config.library, slots: Slots::default() };
        let holds = self.holds.as_ref().map(|text| ("--where", text));
        let holds = holds.or(view.holds.as_ref().map(|holds| ("where", &holds.text)));
        let holds = holds.map(|(what, text)| typed.expression(what, text)).transpose()?;
        let query = EntryQuery {
            system,
            kind,
            states: if self.state.is_empty() { view.states.clone() } else { self.state.clone() },
            text: self.text.clone().or(view.text.clone()),
            holds,
            sort: None,
            most: None,
            slots: Slots::default(),
        };
        Ok(Selected { view, typed, query })
    }
}

impl Selection {
    /// The entries that are meant, in whatever state they are, and those at addresses.
    pub(crate) fn entries(
        &self,
        config: &Config,
        store: &Store,
        addresses: &[Address],
    ) -> Result<Vec<(Address, i64)>, Failure> {
        let mut found = Vec::new();
        for address in addresses {
            let Some(entry) = store.entry(address)? else { return Err(no_entry(store, address)?) };
            found.push((address.clone(), entry.number));
        }
        if *self == Selection::default() {
            return Ok(found);
        }
        let mut query = self.read(config)?.query(None, None);
        if query.states.is_empty() {
            query.states = State::WORDS.map(|(_, state)| state).into();
        }
        let glance = Glance { store, library: &config.library, now: Context::now() };
        let mut all = Vec::new();
        entries(glance, &query, |row| -> Result<(), Failure> {
            all.push(row.address);
            Ok(())
        })?;
        for address in all {
            let number = store.entry(&address)?.map(|entry| entry.number);
            found.extend(number.map(|number| (address, number)));
        }
        Ok(found)
    }
}

impl Selected<'_> {
    /// The entries in an order, and so many at most.
    pub(crate) fn query(self, sort: Option<(Program, bool)>, most: Option<usize>) -> EntryQuery {
        EntryQuery { sort, most, slots: self.typed.slots, ..self.query }
    }
}

fn state(word: &str) -> Result<State, String> {
    let known = State::WORDS.map(|(word, _)| word).join(", ");
    State::from_word(word).ok_or_else(|| format!("states are: {known}"))
}

fn view(config: &Config, name: Option<&str>) -> Result<View, Failure> {
    let Some(name) = name else { return Ok(View::default()) };
    let found = config.views.get(name).cloned();
    found.ok_or_else(|| unknown("view", name, config.views.keys().map(String::as_str)))
}

/// What is known of the fields, where the entries are of one type of one system.
fn known_fields<'a>(config: &'a Config, system: Option<&str>, kind: Option<&str>) -> Option<KnownFields<'a>> {
    let systems = config.systems.iter().filter(|(name, _)| system.is_none_or(|wanted| name.as_str() == wanted));
    let mut types = systems.flat_map(|(_, of)| of.model().types.keys().map(move |known| (of.model(), known)));
    let mut fitting = types.by_ref().filter(|(_, known)| kind == Some(known.as_str()));
    match (fitting.next(), fitting.next()) {
        (Some((model, kind)), None) => Some(KnownFields { model, kind }),
        _ => None,
    }
}
