//! `crop`.

use clap::Args;
use diaporos_core::image::Area;
use diaporos_core::value::Value;
use diaporos_hub::Connector;
use diaporos_hub::config::Config;
use diaporos_store::{CutPlace, EditorsCut, StoredEntry};
use diaporos_systems::asset::Fetcher;
use diaporos_systems::picture::measured;

use super::{address, no_entry, unknown};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::note;

/// Choose the part of an entry's picture that a rendition shows; it counts till the picture changes.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos crop catalogue/plant-profile/p-001 photo top-story --area 120,80,1200,630\n  diaporos crop catalogue/plant-profile/p-001 photo top-story --release\n  diaporos preview profiles catalogue/plant-profile/p-001 --pictures look.html"
)]
pub(crate) struct Crop {
    /// The entry, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    address: String,
    /// The entry's field that is the picture.
    #[arg(value_name = "FIELD")]
    field: String,
    /// The rendition.
    #[arg(value_name = "RENDITION")]
    rendition: String,
    /// The part, in pixels of the picture as it is looked at: left, top, width, height.
    #[arg(long, value_name = "X,Y,W,H", required_unless_present = "release")]
    area: Option<String>,
    /// Let the focal point and the area of interest decide again.
    #[arg(long, conflicts_with = "area")]
    release: bool,
}

pub(crate) async fn run(args: &Crop, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let known = config.library.renditions.keys().map(String::as_str);
    if !config.library.renditions.contains_key(&args.rendition) {
        return Err(unknown("rendition", &args.rendition, known));
    }
    let address = address(&args.address)?;
    let mut store = Context::store_for_change(&config)?;
    let Some(entry) = store.entry(&address)? else { return Err(no_entry(&store, &address)?) };
    let picture = picture(&entry, &args.field)?;
    let place = CutPlace { entry: entry.number, picture: &picture, rendition: &args.rendition };
    let now = Context::now();
    let Some(text) = &args.area else {
        let was = store.cut(place)?;
        if was.is_some() {
            store.keep_cut(place, None, now)?;
        }
        note(match was {
            Some(_) => "released; the next push makes it by the picture's focal point and area",
            None => "nobody chose a part of it",
        });
        return Ok(Exit::Done);
    };
    let area = area(text)?;
    context.confirm_reach(&config)?;
    let asset = fetcher(&config, &entry)?.fetch_picture(&picture).await;
    let asset = asset.map_err(|error| Failure::failed(error.to_string()))?;
    let ((width, height), hash) = measured(&asset.bytes).map_err(|fault| Failure::failed(fault.to_string()))?;
    let ends = (u64::from(area.x) + u64::from(area.width), u64::from(area.y) + u64::from(area.height));
    if ends.0 > u64::from(width) || ends.1 > u64::from(height) {
        return Err(Failure::wrong(format!(
            "`{text}` is not within the picture, which has {width} by {height} pixels"
        )));
    }
    store.keep_cut(place, Some(&EditorsCut { area, hash, who: Context::who(), since: now }), now)?;
    note(&format!(
        "{} × {} at {}, {} of {width} × {height}; `diaporos push` delivers it, and it counts till the picture changes",
        area.width, area.height, area.x, area.y
    ));
    Ok(Exit::Done)
}

/// The address of the picture in a field.
fn picture(entry: &StoredEntry, field: &str) -> Result<String, Failure> {
    let value = entry.row.fields.get(field);
    let value = value.ok_or_else(|| unknown("field", field, entry.row.fields.keys().map(String::as_str)))?;
    let address = match value {
        Value::Text(text) => Some(text.as_str()),
        Value::Record(record) => record.get("url").and_then(Value::as_text),
        _ => None,
    };
    let address = address.filter(|address| address.starts_with("http")).and_then(|address| address.split('#').next());
    address.map(str::to_owned).ok_or_else(|| {
        Failure::wrong(format!("`{field}` of {} is no picture", entry.row.address))
            .advise("a picture is an address, or a record with one at `url`")
    })
}

/// What fetches pictures for a lane that takes entries of that type.
fn fetcher(config: &Config, entry: &StoredEntry) -> Result<Fetcher, Failure> {
    let from = &entry.row.address;
    let takes = |lane: &&diaporos_hub::config::ConfiguredLane| {
        (&lane.lane.from.system, &lane.lane.from.kind) == (&from.system, &from.kind)
    };
    let connector = Connector::new(config, &Context::variable);
    for lane in config.lanes.values().filter(takes) {
        if let Some(fetcher) = connector.writer(&lane.lane.to.system)?.asset_fetcher(&lane.lane.to.kind) {
            return fetcher.map_err(|error| Failure::failed(error.to_string()));
        }
    }
    Err(Failure::wrong(format!("no lane delivers pictures of {}/{}", from.system, from.kind))
        .advise("the profile of its destination says how files are taken, in `assets`"))
}

fn area(text: &str) -> Result<Area, Failure> {
    let numbers: Option<Vec<u32>> = text.split(',').map(|number| number.trim().parse().ok()).collect();
    match numbers.as_deref() {
        Some(&[x, y, width, height]) if width > 0 && height > 0 => Ok(Area { x, y, width, height }),
        _ => Err(Failure::wrong(format!("`{text}` is no part of a picture"))
            .advise("left, top, width and height in pixels, as in `120,80,1200,630`")),
    }
}
