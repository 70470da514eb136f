//! Ordered lists of entries.

use std::collections::HashMap;

use diaporos_core::arrange::{Place, places};
use diaporos_core::value::{Address, Value};
use diaporos_store::{Store, StoreError};
use jiff::Timestamp;

use super::{AllMade, Made, Wanted, record, those_wanted, value};
use crate::config::{Config, ListConfig};
use crate::look::{Glance, in_order};

/// A place of a list, with the entry that stands there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ListPlace {
    /// The entry.
    pub address: Address,
    /// Its number.
    pub entry: i64,
    /// Whether a person put it there.
    pub pinned: bool,
}

/// Who stands at which place of a list by now, and what could not be told.
///
/// # Errors
/// Where the store fails.
pub fn list_places(
    config: &Config,
    store: &Store,
    (name, list): (&str, &ListConfig),
    now: Timestamp,
) -> Result<(Vec<ListPlace>, Vec<String>), StoreError> {
    let most = usize::try_from(list.most).unwrap_or(usize::MAX);
    let mut addresses: HashMap<i64, Address> = HashMap::new();
    let mut pins = Vec::new();
    for pin in store.pins(name)? {
        let is_over = pin.until.is_some_and(|until| until <= now);
        if !is_over && store.is_on_view_at(&list.on, pin.entry)? {
            addresses.insert(pin.entry, pin.address);
            pins.push((pin.place, pin.entry));
        }
    }
    let mut problems = Vec::new();
    let mut candidates = Vec::new();
    for number in in_their_order(config, store, list, now, &mut problems)? {
        if candidates.len() >= most.saturating_add(pins.len()) {
            break;
        }
        if store.is_on_view_at(&list.on, number)?
            && let Some(known) = store.entry_numbered(number)?
        {
            addresses.insert(number, known.row.address);
            candidates.push(number);
        }
    }
    let filled = places(&pins, &candidates, most).into_iter();
    let with_address = |Place { item, pinned }: Place<i64>| {
        Some(ListPlace { address: addresses.get(&item)?.clone(), entry: item, pinned })
    };
    Ok((filled.filter_map(with_address).collect(), problems))
}

/// The entries that fill a list by itself, in their order.
fn in_their_order(
    config: &Config,
    store: &Store,
    list: &ListConfig,
    now: Timestamp,
    problems: &mut Vec<String>,
) -> Result<Vec<i64>, StoreError> {
    let Some(fills) = &list.fills else { return Ok(Vec::new()) };
    let glance = Glance { store, library: &config.library, now };
    let mut keys: Vec<(Value, i64)> = Vec::new();
    let wanted = Wanted { of: &fills.of, holds: fills.holds.as_ref(), slots: &fills.slots };
    those_wanted(glance, &wanted, problems, |entry, problems| {
        let key = match &fills.sort {
            None => Value::Null,
            Some((sort, _)) => match value(&sort.program, &fills.slots, &entry.row, glance, problems)? {
                Some(key) => key,
                None => return Ok(()),
            },
        };
        keys.push((key, entry.number));
        Ok(())
    })?;
    let greatest_first = fills.sort.as_ref().is_some_and(|(_, turned)| *turned);
    keys.sort_by(|(a, _), (b, _)| in_order(a, b, greatest_first));
    Ok(keys.into_iter().map(|(_, number)| number).collect())
}

/// Adds a list's entries: the list, and an entry for each place.
pub(super) fn add(
    (name, list): (&str, &ListConfig),
    (places, problems): (Vec<ListPlace>, Vec<String>),
    all: &mut AllMade,
) {
    all.problems.extend(problems.into_iter().map(|problem| format!("list {name}: {problem}")));
    let text = || Value::from(name);
    for (at, place) in places.iter().enumerate() {
        let ListPlace { address, pinned, .. } = place;
        let fields = record([
            ("list", text()),
            ("place", Value::Integer(i64::try_from(at).unwrap_or(i64::MAX).saturating_add(1))),
            ("item", Value::Reference(address.clone())),
            ("pinned", Value::Boolean(*pinned)),
        ]);
        all.entries.push(Made { kind: "list-item", id: format!("{name}/{address}"), fields });
    }
    let items = places.into_iter().map(|place| Value::Reference(place.address)).collect();
    let fields = record([("name", text()), ("title", list.title.clone()), ("items", Value::List(items))]);
    all.entries.push(Made { kind: "list", id: name.to_owned(), fields });
}
