//! Lists of feeds as OPML 2.0, in and out.

use std::collections::BTreeMap;

use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, BytesText, Event};
use serde_json::Value as Json;

use diaporos_core::text::xml;

/// A feed of a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Outline {
    /// A name that the configuration takes: from the title, made unlike the others.
    pub name: String,
    /// Its title, where it has one.
    pub title: Option<String>,
    /// Where it is.
    pub url: String,
}

/// Reads a list; groups within it are opened up. What is no feed is left out.
///
/// # Errors
/// Where the text is no OPML document.
pub fn read_opml(text: &str) -> Result<Vec<Outline>, String> {
    let document = xml::to_json(text.trim_start_matches('\u{feff}'), xml::LIMITS)?;
    let body = document.pointer("/opml/body/0").ok_or("this is no OPML document: it has no `opml` with a `body`")?;
    let mut found = Vec::new();
    let mut names = BTreeMap::new();
    outlines(body, &mut names, &mut found);
    Ok(found)
}

fn outlines(parent: &Json, names: &mut BTreeMap<String, u32>, found: &mut Vec<Outline>) {
    for outline in parent.get("outline").and_then(Json::as_array).into_iter().flatten() {
        let text = |names: &[&str]| {
            let of =
                |name: &&str| outline.get(*name).and_then(Json::as_str).map(str::trim).filter(|text| !text.is_empty());
            names.iter().find_map(of).map(str::to_owned)
        };
        if let Some(url) = text(&["@xmlUrl", "@xmlurl", "@url"])
            && (url.starts_with("http://") || url.starts_with("https://"))
        {
            let title = text(&["@title", "@text"]);
            let name = name_for(title.as_deref().unwrap_or(&url), names);
            found.push(Outline { name, title, url });
        }
        outlines(outline, names, found);
    }
}

/// A name that no other feed has.
fn name_for(title: &str, names: &mut BTreeMap<String, u32>) -> String {
    let slug = diaporos_core::text::slug(title);
    let slug: String = if slug.is_empty() { "feed".to_owned() } else { slug.chars().take(60).collect() };
    let mut number = names.get(&slug).map_or(1, |known| known + 1);
    let mut name = if number == 1 { slug.clone() } else { format!("{slug}-{number}") };
    // Another may be called so by itself.
    while number > 1 && names.contains_key(&name) {
        number += 1;
        name = format!("{slug}-{number}");
    }
    names.insert(slug, number);
    names.entry(name.clone()).or_insert(1);
    name
}

/// Writes a list of feeds, each with its title and address.
///
/// # Errors
/// Where the text cannot be written, which memory alone could cause.
pub fn write_opml(title: &str, feeds: &[(String, String)]) -> std::io::Result<String> {
    let mut writer = Writer::new_with_indent(Vec::new(), b' ', 2);
    writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let mut opml = BytesStart::new("opml");
    opml.push_attribute(("version", "2.0"));
    writer.write_event(Event::Start(opml))?;
    writer.write_event(Event::Start(BytesStart::new("head")))?;
    writer.write_event(Event::Start(BytesStart::new("title")))?;
    writer.write_event(Event::Text(BytesText::new(title)))?;
    writer.write_event(Event::End(BytesEnd::new("title")))?;
    writer.write_event(Event::End(BytesEnd::new("head")))?;
    writer.write_event(Event::Start(BytesStart::new("body")))?;
    for (title, url) in feeds {
        let mut outline = BytesStart::new("outline");
        outline.push_attribute(("type", "rss"));
        outline.push_attribute(("text", title.as_str()));
        outline.push_attribute(("xmlUrl", url.as_str()));
        writer.write_event(Event::Empty(outline))?;
    }
    writer.write_event(Event::End(BytesEnd::new("body")))?;
    writer.write_event(Event::End(BytesEnd::new("opml")))?;
    Ok(String::from_utf8_lossy(&writer.into_inner()).into_owned() + "\n")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn groups_are_opened_and_names_are_unlike() {
        let text = r#"<?xml version="1.0"?><opml version="2.0"><head/><body>
            <outline text="Gardens"><outline type="rss" text="Fern &amp; Hollow" xmlUrl="http://f.example/a?x=1&amp;y=2"/>
            <outline text="Fern Hollow" xmlUrl="http://f.example/b"/></outline>
            <outline text="Fern Hollow" xmlUrl="https://f.example/c"/><outline text="no feed"/>
            <outline text="Local" xmlUrl="file:///etc/passwd"/></body></opml>"#;
        let drawn: Vec<String> =
            read_opml(text).unwrap().into_iter().map(|outline| format!("{} {}", outline.name, outline.url)).collect();
        assert_eq!(
            drawn,
            [
                "fern-hollow http://f.example/a?x=1&y=2",
                "fern-hollow-2 http://f.example/b",
                "fern-hollow-3 https://f.example/c"
            ]
        );
        for bad in ["", "<rss/>", "<opml/>", "<opml><body>"] {
            assert!(read_opml(bad).is_err(), "{bad}");
        }
    }

    #[test]
    fn what_is_written_is_read_back() {
        let feeds = vec![("Fern & \"Hollow\"".to_owned(), "http://f.example/a?x=1&y=<2>".to_owned())];
        let back = read_opml(&write_opml("Ostrel <Gardens>", &feeds).unwrap()).unwrap();
        assert_eq!((back[0].title.clone().unwrap(), back[0].url.clone()), feeds[0]);
    }
}
