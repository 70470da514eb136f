use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const URL_ENCODE: Function = Function {
    name: "url_encode",
    group: "Addresses",
    summary: "Text as it may stand in a query.",
    takes: Kind::Text,
    gives: gives::text,
    parameters: &[],
    examples: &[("\"a b&c\" | url_encode", "\"a+b%26c\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, |text| url::form_urlencoded::byte_serialize(text.as_bytes()).collect()),
};
