//! The XML of WebDAV, read by namespace and never by prefix (RFC 4918 §14).

use diaporos_core::text::xml;
use quick_xml::escape::resolve_xml_entity;
use std::collections::BTreeMap;

use quick_xml::events::Event;
use quick_xml::name::ResolveResult;
use quick_xml::{NsReader, XmlVersion};

use crate::http::Body;
use crate::profile::Properties;

const DAV: &str = "DAV:";
const MEDIA: &str = "application/xml; charset=utf-8";

/// A file or folder of an answer.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct Resource {
    /// Its address, as the server writes it.
    pub(super) href: String,
    /// Whether it is a folder.
    pub(super) is_folder: bool,
    /// The token and owner of a lock on it.
    pub(super) lock: Option<Lock>,
    /// Properties of other namespaces, as `{namespace}name`.
    pub(super) properties: BTreeMap<String, String>,
    /// What is said of properties: `HTTP/1.1 200 OK`.
    pub(super) statuses: Vec<String>,
}

/// A lock that somebody has.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct Lock {
    /// Opaque.
    pub(super) token: Option<String>,
    /// Who, as they said themselves.
    pub(super) owner: String,
    /// How long it still lasts, as the server writes that.
    pub(super) lasts: Option<String>,
}

/// Asks which are folders.
pub(super) fn ask_for_files() -> Body {
    body("<propfind xmlns=\"DAV:\"><prop><resourcetype/></prop></propfind>".to_owned())
}

/// Asks for properties.
pub(super) fn ask_for_properties(properties: &Properties) -> Body {
    let namespace = quick_xml::escape::escape(properties.namespace.as_str());
    let names: String =
        properties.names.iter().filter(|name| is_name(name)).map(|name| format!("<p:{name}/>")).collect();
    body(format!("<d:propfind xmlns:d=\"DAV:\" xmlns:p=\"{namespace}\"><d:prop>{names}</d:prop></d:propfind>"))
}

/// Sets properties.
pub(super) fn set_properties(namespace: &str, values: &[(String, String)]) -> Body {
    let namespace = quick_xml::escape::escape(namespace);
    let one =
        |(name, text): &(String, String)| format!("<p:{name}>{}</p:{name}>", quick_xml::escape::escape(text.as_str()));
    let values: String = values.iter().filter(|(name, _)| is_name(name)).map(one).collect();
    body(format!(
        "<d:propertyupdate xmlns:d=\"DAV:\" xmlns:p=\"{namespace}\"><d:set><d:prop>{values}</d:prop></d:set></d:propertyupdate>"
    ))
}

/// Whether it can be the name of an element.
fn is_name(name: &str) -> bool {
    name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
        && name.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '_' | '-' | '.'))
}

/// Asks who has locked it.
pub(super) fn ask_for_locks() -> Body {
    body("<propfind xmlns=\"DAV:\"><prop><lockdiscovery/></prop></propfind>".to_owned())
}

/// Asks for a lock, as that owner.
pub(super) fn ask_for_lock(owner: &str) -> Body {
    let owner = quick_xml::escape::escape(owner);
    body(format!(
        "<lockinfo xmlns=\"DAV:\"><lockscope><exclusive/></lockscope><locktype><write/></locktype><owner>{owner}</owner></lockinfo>"
    ))
}

fn body(xml: String) -> Body {
    Body::Bytes(format!("<?xml version=\"1.0\" encoding=\"utf-8\"?>{xml}").into_bytes(), MEDIA.to_owned())
}

/// Reads a `multistatus`, or the `prop` that a LOCK is answered with.
pub(crate) fn read_multistatus(bytes: &[u8]) -> Result<Vec<Resource>, String> {
    let text = std::str::from_utf8(bytes).map_err(|_| "expected WebDAV's XML in UTF-8".to_owned())?;
    let mut reader = NsReader::from_str(text);
    let mut found: Vec<Resource> = Vec::new();
    let mut path: Vec<String> = Vec::new();
    let mut is_dav = false;
    loop {
        let (namespace, event) =
            reader.read_resolved_event().map_err(|error| format!("expected WebDAV's XML: {error}"))?;
        let ours = matches!(namespace, ResolveResult::Bound(name) if name.as_ref() == DAV);
        match event {
            Event::Eof => break,
            // No entity that a document declares is ever read.
            Event::DocType(_) => return Err("a document type has no place in WebDAV's XML".to_owned()),
            Event::Start(start) => {
                let name = start.local_name().as_ref().to_owned();
                is_dav |= ours && path.is_empty();
                path.push(if ours { name } else { foreign(&namespace, &name) });
                if path.len() > xml::LIMITS.depth {
                    return Err("WebDAV's XML is nested too deeply".to_owned());
                }
                open(&path, &mut found);
            }
            Event::Empty(start) => {
                let name = start.local_name().as_ref().to_owned();
                path.push(if ours { name } else { foreign(&namespace, &name) });
                open(&path, &mut found);
                path.pop();
            }
            Event::End(_) => drop(path.pop()),
            Event::Text(text) => write(&path, &text.xml_content(XmlVersion::Implicit1_0), &mut found),
            Event::CData(text) => write(&path, &text.xml_content(XmlVersion::Implicit1_0), &mut found),
            Event::GeneralRef(reference) => {
                let character = reference.resolve_char_ref().map_err(|error| error.to_string())?;
                let name: &str = &reference;
                match (character, resolve_xml_entity(name)) {
                    (Some(character), _) => write(&path, character.encode_utf8(&mut [0; 4]), &mut found),
                    (None, Some(text)) => write(&path, text, &mut found),
                    (None, None) => return Err(format!("the entity `{name}` is not one of XML's own")),
                }
            }
            _ => {}
        }
    }
    if is_dav { Ok(found) } else { Err("expected WebDAV's XML, and it is something else".to_owned()) }
}

fn foreign(namespace: &ResolveResult<'_>, name: &str) -> String {
    match namespace {
        ResolveResult::Bound(space) => format!("{{{}}}{name}", space.as_ref()),
        _ => format!("{{}}{name}"),
    }
}

fn open(path: &[String], found: &mut Vec<Resource>) {
    let path: Vec<&str> = path.iter().map(String::as_str).collect();
    match path.as_slice() {
        ["multistatus", "response"] | ["prop"] => found.push(Resource::default()),
        [.., "resourcetype", "collection"] => {
            if let Some(last) = found.last_mut() {
                last.is_folder = true;
            }
        }
        [.., "lockdiscovery", "activelock"] => {
            if let Some(last) = found.last_mut() {
                last.lock = Some(Lock::default());
            }
        }
        _ => {}
    }
}

fn write(path: &[String], text: &str, found: &mut [Resource]) {
    let Some(last) = found.last_mut() else { return };
    let path: Vec<&str> = path.iter().map(String::as_str).collect();
    match (path.as_slice(), &mut last.lock) {
        (["multistatus", "response", "href"], _) => last.href += text.trim(),
        ([.., "propstat", "status"], _) => last.statuses.push(text.trim().to_owned()),
        (["multistatus", "response", "propstat", "prop", name], _) if name.starts_with('{') => {
            last.properties.entry((*name).to_owned()).or_default().push_str(text);
        }
        ([.., "activelock", "locktoken", "href"], Some(lock)) => {
            lock.token.get_or_insert_default().push_str(text.trim());
        }
        ([.., "activelock", "timeout"], Some(lock)) => lock.lasts.get_or_insert_default().push_str(text.trim()),
        (steps, Some(lock)) if steps.contains(&"owner") => lock.owner += text.trim(),
        _ => {}
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn by_namespace_and_not_by_prefix() {
        let answer = br#"<?xml version="1.0"?><ns0:multistatus xmlns:ns0="DAV:" xmlns:x="urn:x">
            <ns0:response><ns0:href>/pages/</ns0:href><ns0:propstat><ns0:prop><ns0:resourcetype><ns0:collection/></ns0:resourcetype></ns0:prop></ns0:propstat></ns0:response>
            <ns0:response><ns0:href>/pages/a&amp;b.md</ns0:href><ns0:propstat><ns0:prop><ns0:resourcetype><x:collection/></ns0:resourcetype>
              <ns0:lockdiscovery><ns0:activelock><ns0:owner><ns0:href>Nia &amp; Co</ns0:href></ns0:owner><ns0:timeout>Second-60</ns0:timeout>
                <ns0:locktoken><ns0:href>opaquelocktoken:1</ns0:href></ns0:locktoken></ns0:activelock></ns0:lockdiscovery></ns0:prop></ns0:propstat></ns0:response>
        </ns0:multistatus>"#;
        let found = read_multistatus(answer).unwrap();
        assert_eq!((found[0].href.as_str(), found[0].is_folder), ("/pages/", true));
        assert_eq!((found[1].href.as_str(), found[1].is_folder), ("/pages/a&b.md", false));
        let lock = found[1].lock.clone().unwrap();
        assert_eq!((lock.owner.as_str(), lock.token.as_deref()), ("Nia&Co", Some("opaquelocktoken:1")));
        for broken in [
            &b"<html></html>"[..],
            b"<multistatus/>",
            b"",
            b"<!DOCTYPE m [<!ENTITY a 'b'>]><multistatus xmlns='DAV:'>&a;</multistatus>",
            b"<multistatus xmlns='DAV:'><response>",
        ] {
            let read = read_multistatus(broken);
            assert!(read.is_err() || read.is_ok_and(|found| found.len() <= 1), "{}", String::from_utf8_lossy(broken));
        }
    }
}
