use super::{Arguments, Function, Kind, Lifts, Parameter, gives};
use crate::value::{Record, Value};

pub(super) const COUNTERPARTS: Function = Function {
    name: "counterparts",
    group: "The hub",
    summary: "A value in which every reference, however deep, is what its entry is called at the lane's destination; null where it is not there. With a lane's name, what that lane made of it.",
    takes: Kind::Anything,
    gives: gives::anything,
    parameters: &[Parameter { name: "lane", kind: Kind::Lane, optional: true }],
    examples: &[("{ who: curator } | counterparts", "{ who: \"row-7\" }")],
    lifts: Lifts::Deep,
    body: called,
};

fn called(value: &Value, arguments: &Arguments<'_>) -> Result<Value, String> {
    Ok(match value {
        Value::Reference(address) => arguments.counterpart(address, 0)?,
        Value::List(items) => Value::List(items.iter().map(|item| called(item, arguments)).collect::<Result<_, _>>()?),
        Value::Record(fields) => {
            let inner = |(name, value): (&String, &Value)| Ok((name.clone(), called(value, arguments)?));
            Value::Record(fields.iter().map(inner).collect::<Result<Record, String>>()?)
        }
        other => other.clone(),
    })
}
