//! What pictures become for their places.

use std::collections::BTreeSet;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::image::{Fit, LARGEST_SIDE, PictureFormat, Rendition, Size};
use diaporos_core::settings;
use diaporos_core::settings::{Form, InnerText, Item, Section, Table, TextForm, words};
use indexmap::IndexMap;

/// A rendition.
pub(super) static RENDITION: Table = Table::new(
    "rendition",
    &[settings![
        size: SIZE, required, "how large it is: both sides, one (`1200x`, `x630`), or a shape (`16:9`)", "1200x630";
        fit: Form::Word { what: "how a picture can fill it", of: || words(&Fit::WORDS) }, usual "cover", "how the picture fills it: cut by its focal point and area, or whole", "contain";
        background: COLOUR, none, "of a picture that is in it whole: what is around it, so that both sides are as said", "#f4f1e8";
        format: Form::Word { what: "a format of pictures", of: || words(&PictureFormat::WORDS) }, usual "jpeg", "how it is written", "webp";
        quality: Form::Count(1), usual "82", "how well, from 1 to 100; of no meaning for PNG", "90";
        enlarge: Form::Boolean, usual "false", "whether a picture that is smaller is made larger", "true";
    ]],
);
const SIZE: Form = Form::Text(&TextForm { name: "a size", pattern: Some("^([0-9]+x[0-9]*|x[0-9]+|[0-9]+:[0-9]+)$") });
const COLOUR: Form = Form::Text(&TextForm { name: "a colour, `#rrggbb`", pattern: Some("^#[0-9A-Fa-f]{6}$") });

/// Reads the renditions. The names of faulty ones are added to `faulty`.
pub(super) fn renditions(
    file: &mut Section<'_>,
    faulty: &mut BTreeSet<String>,
    report: &mut Report,
) -> IndexMap<String, Rendition> {
    let mut found = IndexMap::new();
    let Some(mut section) = file.section("renditions", report) else { return found };
    for name in section.names() {
        let plain = |byte: u8| matches!(byte, b'a'..=b'z' | b'0'..=b'9' | b'-');
        if name.value.is_empty() || !name.value.bytes().all(plain) {
            let message = format!("`{}` cannot name a rendition: small letters, digits and `-` only", name.value);
            report.add(Diagnostic::error(Code::BadValue, name.span, message));
            continue;
        }
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        let read = rendition(&mut table, report);
        table.finish(report);
        match read {
            Some(read) => drop(found.insert(name.value, read)),
            None => drop(faulty.insert(name.value)),
        }
    }
    found
}

fn rendition(table: &mut Section<'_>, report: &mut Report) -> Option<Rendition> {
    let size = table.text("size", report).and_then(|item| size(&item, report));
    let fit = table.word("fit", &Fit::WORDS, report);
    let background = table.text("background", report).map(|item| {
        let colour = item.value.as_str().parse();
        colour.map_err(|why| report.add(Diagnostic::error(Code::BadValue, item.span.clone(), why))).ok()
    });
    let format = table.word("format", &PictureFormat::WORDS, report);
    let quality = table.count("quality", report).map_or(Some(82), |count| {
        let quality = u8::try_from(count.value).ok().filter(|quality| (1..=100).contains(quality));
        if quality.is_none() {
            report.add(Diagnostic::error(Code::BadValue, count.span, "a quality is a number from 1 to 100"));
        }
        quality
    });
    let enlarges = table.boolean("enlarge", report);
    let background = match background {
        Some(None) => return None,
        other => other.flatten(),
    };
    Some(Rendition { size: size?, fit: fit?, background, format: format?, quality: quality?, enlarges })
}

fn size(item: &Item<InnerText>, report: &mut Report) -> Option<Size> {
    let text = item.value.as_str();
    let side = |text: &str| text.parse::<u32>().ok().filter(|side| (1..=LARGEST_SIDE).contains(side));
    let found = match (text.split_once('x'), text.split_once(':')) {
        (Some((width, "")), _) => side(width).map(Size::Width),
        (Some(("", height)), _) => side(height).map(Size::Height),
        (Some((width, height)), _) => side(width).zip(side(height)).map(|(width, height)| Size::Both(width, height)),
        (None, Some((width, height))) => {
            side(width).zip(side(height)).map(|(width, height)| Size::Shape(width, height))
        }
        (None, None) => None,
    };
    if found.is_none() {
        let message = format!("`{text}` is no size; a side has from 1 to {LARGEST_SIDE} pixels");
        report.add(
            Diagnostic::error(Code::BadValue, item.span.clone(), message)
                .help("as in `1200x630`, `1200x`, `x630`, or a shape: `16:9`"),
        );
    }
    found
}
