//! Pictures that are documents (SVG 1.1): only what draws is kept. What runs, what leads elsewhere and
//! what another document would be put into is left out.

use std::io::Cursor;

use quick_xml::events::attributes::Attribute;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, Writer};

const DRAWS: [&str; 23] = [
    "svg",
    "g",
    "path",
    "rect",
    "circle",
    "ellipse",
    "line",
    "polyline",
    "polygon",
    "text",
    "tspan",
    "defs",
    "linearGradient",
    "radialGradient",
    "stop",
    "clipPath",
    "mask",
    "title",
    "desc",
    "use",
    "symbol",
    "pattern",
    "marker",
];
/// Deeper ones are made by nobody who draws.
const DEEPEST: usize = 256;

/// The picture, cleaned; none where it is no well-formed SVG.
pub(super) fn clean_svg(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut reader = Reader::from_str(std::str::from_utf8(bytes).ok()?.trim_start_matches('\u{feff}'));
    reader.config_mut().check_end_names = true;
    let mut writer = Writer::new(Cursor::new(Vec::new()));
    let (mut depth, mut left_out, mut is_svg) = (0_usize, None, false);
    loop {
        let event = reader.read_event().ok()?;
        match event {
            Event::Eof => break,
            Event::Start(start) => {
                depth += 1;
                if depth > DEEPEST || (depth == 1 && start.name().as_ref() != "svg") {
                    return None;
                }
                is_svg = true;
                match drawn(&start) {
                    Some(start) if left_out.is_none() => writer.write_event(Event::Start(start)).ok()?,
                    Some(_) => {}
                    None => left_out = left_out.or(Some(depth)),
                }
            }
            Event::Empty(start) if left_out.is_none() => {
                if let Some(start) = drawn(&start) {
                    writer.write_event(Event::Empty(start)).ok()?;
                }
            }
            Event::End(end) => {
                match left_out {
                    None => writer.write_event(Event::End(end)).ok()?,
                    Some(at) if at == depth => left_out = None,
                    Some(_) => {}
                }
                depth = depth.checked_sub(1)?;
            }
            Event::Text(text) if left_out.is_none() && depth > 0 => writer.write_event(Event::Text(text)).ok()?,
            // Other entities than those of XML cannot be known, for no document type is read.
            Event::GeneralRef(entity)
                if left_out.is_none()
                    && depth > 0
                    && (["amp", "lt", "gt", "quot", "apos"].contains(&entity.as_ref()) || entity.is_char_ref()) =>
            {
                writer.write_event(Event::GeneralRef(entity)).ok()?;
            }
            // Declarations, document types, comments, instructions, and character data sections.
            _ => {}
        }
    }
    (is_svg && depth == 0).then(|| writer.into_inner().into_inner())
}

/// An element that draws, with the attributes that draw.
fn drawn(start: &BytesStart<'_>) -> Option<BytesStart<'static>> {
    let name = start.name().as_ref().to_owned();
    if !DRAWS.contains(&name.as_str()) {
        return None;
    }
    let mut kept = BytesStart::new(name);
    for attribute in start.attributes().flatten().filter(draws) {
        kept.push_attribute((attribute.key.as_ref(), attribute.value.as_ref()));
    }
    Some(kept)
}

fn draws(attribute: &Attribute<'_>) -> bool {
    let key = attribute.key.as_ref().to_ascii_lowercase();
    let Ok(value) = quick_xml::escape::unescape(&attribute.value) else { return false };
    let value: String =
        value.chars().filter(|c| !c.is_whitespace() && !c.is_control()).collect::<String>().to_lowercase();
    let leads_out = match key.as_str() {
        "href" | "xlink:href" => !value.starts_with('#'),
        _ => value.replace("url(#", "").replace("url('#", "").contains("url("),
    };
    let runs = key.starts_with("on") || key == "style" || value.contains("script:") || value.contains('\\');
    let is_space = key.starts_with("xmlns:") && !matches!(key.as_str(), "xmlns:xlink" | "xmlns:svg");
    !leads_out && !runs && !is_space && !key.starts_with("xml:base")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_draws_is_kept() {
        let hostile = r##"<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]>
<svg xmlns="http://www.w3.org/2000/svg" onload="a()" viewBox="0 0 1 1"><script>a()</script><g fill="url(#p)"><path d="M0 0"/>
<path d="M1 1" fill="url(http://a.example/)"/><use href="http://a.example/x.svg#y"/><use href="#p"/>
<foreignObject><div>no</div></foreignObject><text>&x;A &amp; b</text><image href="http://a.example"/><animate attributeName="href"/></g></svg>"##;
        let cleaned = String::from_utf8(clean_svg(hostile.as_bytes()).unwrap()).unwrap();
        for gone in
            ["script", "onload", "a.example", "foreignObject", "div", "image", "animate", "DOCTYPE", "&x;", "a()"]
        {
            assert!(!cleaned.contains(gone), "{gone}: {cleaned}");
        }
        for kept in [r#"viewBox="0 0 1 1""#, r#"d="M0 0""#, "url(#p)", r##"href="#p""##, "A &amp; b"] {
            assert!(cleaned.contains(kept), "{kept}: {cleaned}");
        }
        for none in ["", "<html/>", "<svg>", "<p><svg/></p>", "not"] {
            assert_eq!(clean_svg(none.as_bytes()), None, "{none}");
        }
    }
}
