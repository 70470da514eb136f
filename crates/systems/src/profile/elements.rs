//! Types whose documents are in XML.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Setting, words};

use super::ProfileType;
use super::write_type::WriteType;
use crate::http::AnswerForm;

/// The forms of documents by their words.
pub(super) const FORMS: [(&str, AnswerForm); 2] = [("json", AnswerForm::Json), ("xml", AnswerForm::Xml)];
/// The form of documents.
pub(crate) const FORM: &[Setting] = settings![
    form: Form::Word { what: "a form of documents", of: || words(&FORMS) }, usual "json", "the form of the documents that are sent and answered. Of `xml` an element is an object with its attributes as `@name`, its text as `#text` and its children as lists under their names: `$.page.title[0]['#text']`", "xml";
];

impl ProfileType {
    /// Has it read and written as elements.
    pub(super) fn take_elements(&mut self, section: &Section<'_>, report: &mut Report) {
        if let Some(read) = &mut self.read {
            read.elements = true;
            read.items.find_elements();
            if let Some(deleted) = &mut read.deleted {
                deleted.items.find_elements();
            }
        }
        if let Some(write) = &mut self.write {
            write.take_elements(section, report);
        }
    }
}

impl WriteType {
    fn take_elements(&mut self, section: &Section<'_>, report: &mut Report) {
        self.elements = true;
        if let Some(listed) = &mut self.listed {
            listed.items.find_elements();
        }
        self.calls_mut().for_each(|call| call.media = "application/xml");
        let mut wrong = |message: &str, help: &str| {
            report.add(Diagnostic::error(Code::BadValue, section.span(), message).help(help));
        };
        if self.document.as_ref().is_none_or(|at| at.first().is_none()) {
            wrong(
                "a document in XML has an element around it, and `write` does not say which",
                "say it as `document = \"$.page\"`",
            );
        }
        if self.batch.is_some() || self.publish_batch.is_some() {
            wrong("several documents in one call are not written in XML", "leave out `batch` and `publish_batch`");
        }
    }
}
