use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const SQUEEZE: Function = Function {
    name: "squeeze",
    group: "Text",
    summary: "Text in which all white space is one space, and none at its ends.",
    takes: Kind::Text,
    gives: gives::no_longer,
    parameters: &[],
    examples: &[("\" royal \\n  fern\" | squeeze", "\"royal fern\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, |text| text.split_whitespace().collect::<Vec<_>>().join(" ")),
};
