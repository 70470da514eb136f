//! Texts of .NET (resource files, `.resx`): `data` elements that are neither typed nor bytes.

use super::tree::{self, Element};
use super::{Said, Text, Texts};

pub(super) fn read(text: &str, texts: &mut Texts) -> Result<(), String> {
    let root = tree::read(text)?;
    if root.name != "root" {
        return Err(format!("has `{}` for its outermost element, and not `root`", root.name));
    }
    for (element, _) in root.elements().filter(|(element, _)| element.name == "data") {
        let is_text = element.attribute("type").is_none() && element.attribute("mimetype").is_none();
        let Some(key) = element.attribute("name").filter(|_| is_text) else { continue };
        let of = |name: &str| element.elements().find(|(inner, _)| inner.name == name).map(|(inner, _)| inner);
        let said = Said::Plain(of("value").map(Element::text).unwrap_or_default());
        let note = of("comment").map(|comment| comment.text().trim().to_owned()).unwrap_or_default();
        let is_kept = note.contains("{Locked}");
        texts.add(Text { key: key.to_owned(), note, said, is_kept })?;
    }
    Ok(())
}
