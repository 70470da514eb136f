//! Services in between: calls that give entries more fields before they are mapped.

use std::sync::Arc;

use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::Slots;
use diaporos_core::expr::types::Languages;
use diaporos_core::lane::{FieldExpression, TypeRef};
use diaporos_core::model::{Field, FieldKind, Model, fit};
use diaporos_core::settings;
use diaporos_core::settings::forms::{EXPRESSION, NAMED_EXPRESSIONS, TYPE};
use diaporos_core::settings::{Form, InnerText, Item, Section, Table, words};
use diaporos_core::value::{SystemName, TypeName, Value};
use diaporos_systems::service::{SERVICE_CALL, ServiceSettings, service_settings};
use indexmap::IndexMap;

use super::ConfiguredLane;
use super::ends::{Around, Names, named_tables};

/// A service in between.
#[derive(Debug, Clone)]
pub struct ServiceConfig {
    /// The name, which is that of the field that it gives.
    pub name: String,
    /// What it is called in messages.
    pub system: SystemName,
    /// Entries of this type have the field.
    pub of: TypeRef,
    /// Those for which this holds; the others have null there.
    pub holds: Option<FieldExpression>,
    /// What is sent, by name.
    pub send: IndexMap<String, FieldExpression>,
    /// The fields that its expressions read.
    pub slots: Slots,
    /// What it gives; with a value per language, where what is sent has languages.
    pub field: Field,
    /// How it is asked.
    pub call: ServiceSettings,
    /// How often it may be asked on a day (UTC).
    pub a_day: Option<u64>,
    /// What the field is where it does not answer; the entry is held where nothing is said.
    pub otherwise: Option<Value>,
    /// Changes with whatever may change what it gives.
    pub definition: Fingerprint,
}

/// The services by name.
pub(super) type ServiceConfigs = IndexMap<String, Arc<ServiceConfig>>;

/// A service.
pub(super) static SERVICE: Table = Table::new(
    "service",
    &[
        settings![
            of: TYPE, required, "entries of this type have a field of the service's name, as if their source gave it; a value per language, where what is sent has languages", "catalogue/plant-profile";
            where: EXPRESSION, none, "only those for which this holds; the others have null there", "state == \"live\"";
            send: NAMED_EXPRESSIONS, required, "what is sent, of the entry as its source has it: the members of a JSON body, or parameters", "{ text = 'description@en | plain', most = '8' }";
            kind: Form::Word { what: "a kind of field", of: || words(&FieldKind::WORDS) }, usual "text", "what it gives", "record";
            many: Form::Boolean, usual "false", "whether that is a list of such values", "true";
            a_day: Form::Count(1), none, "how often it may be asked on a day (UTC); each content is asked about once", "500";
            otherwise: Form::Anything, none, "what the field is where the service does not answer; without it the entry is held", "[]";
        ],
        SERVICE_CALL[0],
        SERVICE_CALL[1],
    ],
);

/// Reads the services.
pub(super) fn services(file: &mut Section<'_>, around: &Around<'_>, report: &mut Report) -> ServiceConfigs {
    let read = named_tables(file, "services", report, |name, table, report| service(name, table, around, report));
    read.into_iter().map(|(name, service)| (name, Arc::new(service))).collect()
}

fn service(
    name: &Item<String>,
    table: &mut Section<'_>,
    around: &Around<'_>,
    report: &mut Report,
) -> Option<ServiceConfig> {
    let is_plain = name.value.bytes().all(|byte| matches!(byte, b'a'..=b'z' | b'0'..=b'9' | b'_'))
        && name.value.starts_with(|first: char| first.is_ascii_lowercase());
    if !is_plain {
        let message =
            format!("`{}` cannot be a service's name, which is a field's: small letters, digits and `_`", name.value);
        report.add(Diagnostic::error(Code::BadValue, name.span.clone(), message));
    }
    let kind = table.word("kind", &FieldKind::WORDS, report);
    let field = kind.map(|kind| Field { kind, many: table.boolean("many", report), ..Field::default() });
    let call = field.and_then(|field| service_settings(table, around.folder, field, report));
    let a_day = table.count("a_day", report).map(|count| count.value);
    let otherwise = table.value("otherwise");
    let Asked { of, holds, send, slots } = asked(name, table, around, report)?;
    let mut call = call?;
    call.field.localised = send.values().any(|sent| sent.program.gives.languages == Languages::Each);
    if let Some(value) = &otherwise
        && let Err(misfit) = fit(&call.field, &value.value)
    {
        report.add(Diagnostic::error(Code::BadValue, value.span.clone(), format!("`otherwise` {misfit}")));
    }
    let texts = send.iter().flat_map(|(member, sent)| [member.clone(), sent.text.clone()]);
    let all: Vec<String> = texts.chain([call.definition()]).collect();
    Some(ServiceConfig {
        system: SystemName::new(format!("service-{}", name.value)).ok()?,
        name: name.value.clone(),
        definition: fingerprint_texts(all.iter().map(String::as_str)),
        field: call.field.clone(),
        of,
        holds,
        send,
        slots,
        call,
        a_day,
        otherwise: otherwise.map(|item| item.value),
    })
}

/// What is asked about which entries.
struct Asked {
    of: TypeRef,
    holds: Option<FieldExpression>,
    send: IndexMap<String, FieldExpression>,
    slots: Slots,
}

fn asked(name: &Item<String>, table: &mut Section<'_>, around: &Around<'_>, report: &mut Report) -> Option<Asked> {
    let holds = table.text("where", report);
    let sent = table.section("send", report).map(|mut section| {
        let names = section.names();
        let named = |name: Item<String>| {
            let item = section.named_text(&name.value, report)?;
            Some((name.value, item))
        };
        names.into_iter().filter_map(named).collect::<Vec<_>>()
    });
    Names { around, report }.of_type(table, |expressions, report, of| {
        if expressions.has_field(&name.value) {
            let message = format!("entries of `{of}` have a field `{}` already", name.value);
            let finding = Diagnostic::error(Code::BadValue, name.span.clone(), message);
            report.add(finding.help("give the service another name"));
        }
        let holds = holds.map_or(Some(None), |item| expressions.condition(&item, report).map(Some));
        let read = |(member, item): (String, Item<InnerText>)| Some((member, expressions.read(&item, report)?));
        let send = sent?.into_iter().map(read).collect::<Option<_>>();
        Some(Asked { of, holds: holds?, send: send?, slots: expressions.slots.clone() })
    })?
}

/// The services that give entries of a type more fields.
pub(super) fn of_type<'a>(
    services: &'a ServiceConfigs,
    of: &'a TypeRef,
) -> impl Iterator<Item = &'a Arc<ServiceConfig>> {
    services.values().filter(move |service| service.of == *of)
}

/// A model with the fields that services give entries of a type, where its fields are known.
pub(super) fn with_services(mut model: Model, kind: &TypeName, services: &[Arc<ServiceConfig>]) -> Model {
    if let Some(known) = model.types.get_mut(kind) {
        known.fields.extend(services.iter().map(|service| (service.name.clone(), service.field.clone())));
    }
    model
}

impl ConfiguredLane {
    /// Gives it the services of its type that it uses: part of what it delivers.
    pub(super) fn join_services(&mut self, services: Vec<Arc<ServiceConfig>>) {
        self.services = services.into_iter().filter(|service| self.lane.slots.find(&service.name).is_some()).collect();
        if !self.services.is_empty() {
            let own = self.definition.to_string();
            let theirs: Vec<String> = self.services.iter().map(|service| service.definition.to_string()).collect();
            self.definition = fingerprint_texts(std::iter::once(own.as_str()).chain(theirs.iter().map(String::as_str)));
        }
    }

    /// Whether a condition of the lane reads what a service gives, so that it cannot be told without who goes.
    #[must_use]
    pub fn goes_by_services(&self) -> bool {
        let conditions = self.lane.expressions().filter(|(place, _)| !self.lane.fields.contains_key(*place));
        let mut read = conditions.flat_map(|(_, condition)| &condition.program.uses.fields);
        read.any(|field| self.services.iter().any(|service| service.name == *field))
    }
}
