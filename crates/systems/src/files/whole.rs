//! Files that are one document each, wherever they lie.

use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::intake::{Incoming, Listing};
use diaporos_core::value::{SystemName, TypeName};

use serde_json::{Map, Value as Json};

use super::form::Form;
use super::{FileName, SCHEME, Taken, take};
use crate::decode::Decoder;
use crate::languages::LanguageCodes;
use crate::profile::{Profile, ReadType};
use crate::text_file::parse;
use crate::{ListingCapabilities, Problem};

/// How files of a type are listed; none where the profile does not read it.
pub(crate) fn file_capabilities(
    profile: &Profile,
    languages: &LanguageCodes,
    kind: &TypeName,
) -> Option<ListingCapabilities> {
    let read = profile.read_type(kind).ok()?;
    let parts = read.languages.parts(languages);
    let listing = if read.absent_is_gone { Listing::Complete } else { Listing::Window };
    Some(ListingCapabilities { parts, ..ListingCapabilities::plain(listing) })
}

/// Reads files that are one document each by a profile.
#[derive(Debug)]
pub(crate) struct WholeFiles {
    system: SystemName,
    profile: Profile,
    languages: LanguageCodes,
    reading: Fingerprint,
}

impl WholeFiles {
    pub(crate) fn new(system: SystemName, profile: Profile, languages: LanguageCodes) -> WholeFiles {
        let reading = fingerprint_texts([SCHEME, &profile.fingerprint().to_string(), &format!("{languages:?}")]);
        WholeFiles { system, profile, languages, reading }
    }

    pub(crate) fn profile(&self) -> &Profile {
        &self.profile
    }

    pub(crate) fn languages(&self) -> &LanguageCodes {
        &self.languages
    }

    /// Changes when files come to be read otherwise.
    pub(crate) fn reading(&self) -> Fingerprint {
        self.reading
    }

    /// A file that is listed and was not had, with the reason.
    pub(crate) fn unreadable(&self, read: &ReadType, file: &str, why: &str) -> Problem {
        FileName::new(file, read, &self.languages).unreadable(read, why)
    }

    /// The entries of files, each with properties that it has beside, and what could not be read.
    pub(crate) fn entries(
        &self,
        read: &ReadType,
        kind: &TypeName,
        files: Vec<(String, Vec<u8>, Map<String, Json>)>,
    ) -> (Vec<Incoming>, Vec<Problem>) {
        let fields = self.profile.types.get(kind).and_then(|known| known.fields.as_ref());
        let decoder = Decoder { system: &self.system, languages: &self.languages, read, fields };
        let mut taken = Taken::default();
        for (file, bytes, properties) in files {
            let parsed = match Form::as_read(&file, read) {
                Some(Form::Whole(form)) => parse(form, &bytes),
                _ => Err("its ending tells no form that is read here: json, xml, md".to_owned()),
            };
            let name = FileName::new(&file, read, &self.languages);
            match parsed {
                Ok(mut json) => {
                    if let Json::Object(members) = &mut json {
                        members.extend(properties);
                    }
                    take(&decoder, &name, &json, &bytes, &mut taken);
                }
                Err(message) => taken.problems.push(name.unreadable(read, message)),
            }
        }
        (taken.entries, taken.problems)
    }
}
