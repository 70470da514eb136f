//! Pictures of entries, as a lane has them made: looked at together, before anything is delivered.

use std::collections::BTreeMap;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use diaporos_core::image::{Area, PictureOrder};
use diaporos_core::value::Address;
use diaporos_store::{Store, StoreError};
use diaporos_systems::asset::Fetcher;
use diaporos_systems::picture::{MadePicture, made};
use jiff::Timestamp;
use minijinja::value::Serde;
use minijinja::{AutoEscape, Environment};
use serde::Serialize;

use crate::config::ConfiguredLane;
use crate::mapping::{map_as_it_is, referred};

/// The pictures that an entry's documents on a lane have made, each as its address with the order.
///
/// # Errors
/// Where the store fails.
pub fn orders(
    store: &Store,
    lane: &ConfiguredLane,
    address: &Address,
    now: Timestamp,
) -> Result<Vec<String>, StoreError> {
    let Some(due) = store.look_at(&lane.lane.name, address)? else { return Ok(Vec::new()) };
    let mapping = map_as_it_is(store, lane, &due, now)?;
    let all = referred(lane, std::iter::once(&mapping.mapped));
    Ok(all.into_iter().filter(|address| PictureOrder::of_address(address).is_some()).collect())
}

/// What is on a contact sheet.
#[derive(Serialize)]
struct Sheet {
    tiles: Vec<Tile>,
}

/// A rendition on a contact sheet.
#[derive(Serialize)]
struct Tile {
    entry: String,
    picture: String,
    rendition: String,
    /// The picture, as an address that holds it (RFC 2397).
    data: String,
    width: u32,
    height: u32,
    bytes: usize,
    of: String,
    part: String,
    notes: Vec<String>,
    fault: Option<String>,
}

/// Makes every rendition of some entries, and shows them together as a page. Gives it with how many could not be made.
///
/// # Errors
/// Where the page cannot be drawn.
pub async fn contact_sheet(
    fetcher: &Fetcher,
    orders: &[(Address, Vec<String>)],
) -> Result<(String, u64), minijinja::Error> {
    let mut tiles = Vec::new();
    for (entry, addresses) in orders {
        let mut by_picture: BTreeMap<&str, Vec<PictureOrder>> = BTreeMap::new();
        for (picture, order) in addresses.iter().filter_map(|address| PictureOrder::of_address(address)) {
            by_picture.entry(picture).or_default().push(order);
        }
        for (picture, orders) in by_picture {
            let fetched = fetcher.fetch_picture(picture).await;
            for order in orders {
                let done = match &fetched {
                    Err(error) => Err(error.to_string()),
                    Ok(asset) => {
                        let (bytes, own) = (asset.bytes.clone(), order.clone());
                        let made = tokio::task::spawn_blocking(move || made(&bytes, &own)).await;
                        made.map_err(|error| error.to_string()).and_then(|made| made.map_err(|fault| fault.to_string()))
                    }
                };
                tiles.push(tile(entry, picture, &order, done));
            }
        }
    }
    let failed = tiles.iter().filter(|tile| tile.fault.is_some()).count() as u64;
    let mut environment = Environment::new();
    environment.set_auto_escape_callback(|_| AutoEscape::Html);
    environment.add_template("sheet.html", include_str!("sheet.html"))?;
    let page = environment.get_template("sheet.html")?.render(Serde(&Sheet { tiles }))?;
    Ok((page, failed))
}

fn tile(entry: &Address, picture: &str, order: &PictureOrder, done: Result<MadePicture, String>) -> Tile {
    let name = picture.rsplit('/').next().unwrap_or(picture).to_owned();
    let empty = Tile {
        entry: entry.to_string(),
        picture: name,
        rendition: order.name.clone(),
        data: String::new(),
        width: 0,
        height: 0,
        bytes: 0,
        of: String::new(),
        part: String::new(),
        notes: Vec::new(),
        fault: None,
    };
    let made = match done {
        Ok(made) => made,
        Err(fault) => return Tile { fault: Some(fault), ..empty },
    };
    let Area { x, y, width, height } = made.framing.part;
    let mut notes = Vec::new();
    if !made.framing.keeps {
        notes.push("the area of interest is not in it whole".to_owned());
    }
    if !made.framing.is_full {
        notes.push("smaller than the rendition says, since the picture is".to_owned());
    }
    if order.cut.is_some() {
        notes.push("as an editor cut it".to_owned());
    }
    Tile {
        data: format!("data:{};base64,{}", order.rendition.format.media(), STANDARD.encode(&made.bytes)),
        width: made.size.0,
        height: made.size.1,
        bytes: made.bytes.len(),
        of: format!("{} × {}", made.of.0, made.of.1),
        part: format!("{width} × {height} at {x}, {y}"),
        notes,
        ..empty
    }
}
