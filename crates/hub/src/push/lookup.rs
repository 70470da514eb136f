//! Looking for the document that has an entry's key. What comes is held against the key that it was
//! asked by: a destination may not know the parameter, and answer with whatever it has.

use diaporos_core::lane::Lane;
use diaporos_core::plan::{Existing, FoundDocument};
use diaporos_core::value::{LanguageTag, TypeName};
use diaporos_systems::{ErrorKind, SystemError, Write};
use tokio::sync::OnceCell;

/// A key that no document has.
const NO_KEY: &str = "diaporos-no-document-has-this-key";
/// So many documents that do not show their key are read one by one.
const MOST_UNSHOWN: usize = 5;

/// The look-ups of one lane.
pub(crate) struct LookUps<'a> {
    writer: &'a dyn Write,
    kind: &'a TypeName,
    /// The lane's key field.
    field: Option<&'a str>,
    /// Whether the destination answers with documents whatever key it is asked by.
    ignores_key: OnceCell<bool>,
}

impl<'a> LookUps<'a> {
    pub(crate) fn new(writer: &'a dyn Write, lane: &'a Lane) -> Self {
        LookUps { writer, kind: &lane.to.kind, field: lane.key.as_deref(), ignores_key: OnceCell::new() }
    }

    /// What has the key, read whole by its identifier, so that it can be merged with and guarded.
    ///
    /// # Errors
    /// Where the answer cannot be had.
    pub(crate) async fn by_key(&self, key: &str, language: Option<&LanguageTag>) -> Result<FoundDocument, SystemError> {
        let found = self.writer.find(self.kind, key, language).await?;
        if self.writer.key_is_place(self.kind) {
            return Ok(match <[Existing; 1]>::try_from(found) {
                Ok([one]) => FoundDocument::One(Box::new(one)),
                Err(found) if found.is_empty() => FoundDocument::Nothing,
                Err(found) => FoundDocument::Several(found.len()),
            });
        }
        let has_key = |existing: &Existing| self.field.map_or(Some(true), |field| existing.has_key(field, key));
        let (mut ours, mut unshown, mut other) = (Vec::new(), Vec::new(), None);
        for existing in found {
            match has_key(&existing) {
                Some(true) => ours.push(existing),
                Some(false) => other = other.or(Some(existing.id)),
                None => unshown.push(existing),
            }
        }
        // Some searches show no more than identifiers.
        for existing in unshown.drain(..unshown.len().min(MOST_UNSHOWN)) {
            let whole = self.read(&existing).await?;
            match has_key(&whole) {
                Some(true) => ours.push(whole),
                _ => other = other.or(Some(whole.id)),
            }
        }
        if let Some(left) = unshown.pop() {
            return Ok(FoundDocument::OtherKeys(left.id));
        }
        let (mut ours, strange): (Vec<Existing>, Vec<Existing>) = ours
            .into_iter()
            .partition(|existing| existing.language.is_none() || existing.language.as_ref() == language);
        if let ([], [of_another, ..]) = (ours.as_slice(), strange.as_slice()) {
            // All languages come where none is asked for; where one is, and another comes, nobody can tell.
            return Ok(if self.writer.finds_by_language(self.kind) {
                FoundDocument::OtherLanguage(of_another.id.clone())
            } else {
                FoundDocument::Nothing
            });
        }
        match (ours.pop(), ours.len(), other) {
            (Some(one), 0, _) => {
                let whole = self.read(&one).await?;
                Ok(if has_key(&whole) == Some(false) {
                    FoundDocument::OtherKeys(whole.id)
                } else {
                    FoundDocument::One(Box::new(whole))
                })
            }
            (Some(_), more, _) => Ok(FoundDocument::Several(more + 1)),
            (None, _, None) => Ok(FoundDocument::Nothing),
            // A search that also gives what is like the key has found nothing.
            (None, _, Some(other)) => Ok(if self.ignores_key(language).await {
                FoundDocument::OtherKeys(other)
            } else {
                FoundDocument::Nothing
            }),
        }
    }

    async fn ignores_key(&self, language: Option<&LanguageTag>) -> bool {
        let ask = || async {
            let found = self.writer.find(self.kind, NO_KEY, language).await;
            // One that cannot even be asked so is not to be relied upon.
            found.map_or(true, |found| !found.is_empty())
        };
        *self.ignores_key.get_or_init(ask).await
    }

    async fn read(&self, found: &Existing) -> Result<Existing, SystemError> {
        let whole = self.writer.read(self.kind, &found.id).await?;
        whole.ok_or_else(|| {
            let why = format!("the look-up gives `{}`, and reading that says that it is not there", found.id);
            self.writer.failed(ErrorKind::Content(why))
        })
    }
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use async_trait::async_trait;
    use diaporos_core::lane::Documents;
    use diaporos_core::model::EntryType;
    use diaporos_core::plan::{Lack, Order, Presence, Written};
    use diaporos_core::value::{EntryId, Revision, SystemName, Value};
    use diaporos_systems::asset::Asset;
    use diaporos_systems::http::Request;

    use super::*;

    /// What a search shows of a page: its id, and its key where it shows that.
    type Shown = (&'static str, Option<&'static str>);

    /// A destination whose search answers with the same pages whatever it is asked, or by the key.
    struct Site {
        pages: Vec<Shown>,
        ignores_key: bool,
        /// The language that every page shows, and whether one is asked for.
        language: Option<LanguageTag>,
        asks_language: bool,
        /// What a page holds that is read whole.
        whole: fn(&str) -> Option<&'static str>,
    }

    fn existing(id: &str, key: Option<&str>) -> Existing {
        let fields = key.map(|key| ("slug".to_owned(), Value::from(key)));
        let (id, presence) = (EntryId::new(id).unwrap(), Presence::Present);
        Existing { id, item: None, language: None, revision: None, fields: fields.into_iter().collect(), presence }
    }

    #[async_trait]
    impl Write for Site {
        fn documents(&self, _: &TypeName) -> Option<Documents> {
            None
        }
        fn finds_by_language(&self, _: &TypeName) -> bool {
            self.asks_language
        }
        fn fields(&self, _: &TypeName) -> Option<&EntryType> {
            None
        }
        fn max_in_flight(&self, _: &TypeName) -> usize {
            1
        }
        fn failure_limit(&self) -> u32 {
            1
        }
        fn place(&self) -> String {
            String::new()
        }
        fn failed(&self, kind: ErrorKind) -> SystemError {
            SystemError { system: SystemName::new("site").unwrap(), url: String::new(), kind }
        }
        fn settles_within(&self) -> Duration {
            Duration::ZERO
        }
        fn guards(&self, _: &TypeName, _: Option<&Revision>) -> bool {
            false
        }
        async fn find(&self, _: &TypeName, key: &str, _: Option<&LanguageTag>) -> Result<Vec<Existing>, SystemError> {
            let shown: &[Shown] = if self.ignores_key || key == "fern" { &self.pages } else { &[] };
            let shown = shown.iter().map(|(id, key)| existing(id, *key));
            Ok(shown.map(|page| Existing { language: self.language.clone(), ..page }).collect())
        }
        async fn read(&self, _: &TypeName, id: &EntryId) -> Result<Option<Existing>, SystemError> {
            let whole = (self.whole)(id.as_str()).map(|key| existing(id.as_str(), Some(key)));
            Ok(whole.map(|page| Existing { language: self.language.clone(), ..page }))
        }
        fn request(&self, _: &TypeName, _: &Order) -> Result<Request, SystemError> {
            Err(self.failed(ErrorKind::NotFound))
        }
        async fn write(&self, _: &TypeName, _: &Order, _: &str) -> Result<Written, SystemError> {
            Err(self.failed(ErrorKind::NotFound))
        }
        async fn deliver_asset(&self, _: &TypeName, _: &Asset) -> Result<EntryId, SystemError> {
            Err(self.failed(ErrorKind::NotFound))
        }
        async fn make(&self, _: &TypeName, _: &Lack) -> Result<(), SystemError> {
            Err(self.failed(ErrorKind::NotFound))
        }
    }

    /// What a look for `fern` comes to.
    async fn found(pages: &[Shown], ignores_key: bool, whole: fn(&str) -> Option<&'static str>) -> String {
        let site = Site { pages: pages.to_vec(), ignores_key, language: None, asks_language: true, whole };
        come_to(&site, None).await
    }

    async fn come_to(site: &Site, language: Option<&LanguageTag>) -> String {
        let kind = TypeName::new("page").unwrap();
        let look_ups = LookUps { writer: site, kind: &kind, field: Some("slug"), ignores_key: OnceCell::new() };
        match look_ups.by_key("fern", language).await {
            Ok(FoundDocument::One(one)) => format!("one {}", one.id),
            Ok(FoundDocument::OtherKeys(id)) => format!("others {id}"),
            Ok(FoundDocument::Several(count)) => format!("{count}"),
            Ok(FoundDocument::Nothing) => "nothing".to_owned(),
            Ok(other) => format!("{other:?}"),
            Err(error) => format!("error {}", error.kind),
        }
    }

    #[tokio::test]
    async fn what_is_found_is_held_against_the_language_it_was_looked_for_in() {
        let (english, french): (LanguageTag, LanguageTag) = ("en".parse().unwrap(), "fr".parse().unwrap());
        for (shown, asks_language, expected) in [
            (Some(&english), true, "one 1"),
            (None, true, "one 1"),
            // A look-up that asks for one language and gets another cannot be relied upon.
            (Some(&french), true, "OtherLanguage(EntryId(\"1\"))"),
            // One that asks for all languages has found none of this.
            (Some(&french), false, "nothing"),
        ] {
            let (language, pages) = (shown.cloned(), vec![("1", Some("fern"))]);
            let site = Site { pages, ignores_key: false, language, asks_language, whole: |_| Some("fern") };
            assert_eq!(come_to(&site, Some(&english)).await, expected);
        }
    }

    #[tokio::test]
    async fn what_is_found_is_held_against_the_key_it_was_looked_for_by() {
        let is_fern: fn(&str) -> Option<&'static str> = |_| Some("fern");
        let is_home: fn(&str) -> Option<&'static str> = |_| Some("home");
        assert_eq!(found(&[], false, is_fern).await, "nothing");
        assert_eq!(found(&[("1", Some("fern"))], false, is_fern).await, "one 1");
        assert_eq!(found(&[("1", Some("fern")), ("2", Some("fern"))], false, is_fern).await, "2");
        // A search for what is like the key has found nothing; one that does not know its parameter nothing
        // out.
        assert_eq!(found(&[("1", Some("ferns"))], false, is_fern).await, "nothing");
        assert_eq!(found(&[("1", Some("home"))], true, is_home).await, "others 1");
        // One that shows identifiers alone is read.
        assert_eq!(found(&[("1", None)], false, is_fern).await, "one 1");
        assert_eq!(found(&[("1", None)], true, is_home).await, "others 1");
        assert_eq!(found(&[("1", None); 9], false, is_home).await, "others 1", "what is left unread is not believed");
        // What the search shows, the page itself must have.
        assert_eq!(found(&[("1", Some("fern"))], false, is_home).await, "others 1");
        assert!(found(&[("1", Some("fern"))], false, |_| None).await.starts_with("error the look-up gives `1`"));
    }
}
