use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::text::moment;
use crate::value::Value;
use jiff::Unit;

pub(super) const UNTIL: Function = Function {
    name: "until",
    group: "Dates and times",
    summary: "How much time lies between a date or time and a later one, in whole `\"days\"`, `\"hours\"`, `\"minutes\"`, `\"weeks\"`, `\"months\"` or `\"years\"`; negative where it is earlier.",
    takes: Kind::Text,
    gives: gives::integer,
    parameters: &[
        Parameter { name: "later", kind: Kind::Text, optional: false },
        Parameter {
            name: "unit",
            kind: Kind::Word(&["years", "months", "weeks", "days", "hours", "minutes", "seconds"]),
            optional: true,
        },
    ],
    examples: &[
        ("\"2026-05-01\" | until \"2026-05-15\"", "14"),
        ("\"2026-05-01T10:00:00Z\" | until \"2026-05-01T12:30:00Z\" \"hours\"", "2"),
    ],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let (from, to) = (moment::read(text(input))?, moment::read(arguments.text(0))?);
        let to = to.with_time_zone(from.time_zone().clone());
        let unit = match arguments.text_or(1, "days") {
            "years" => Unit::Year,
            "months" => Unit::Month,
            "weeks" => Unit::Week,
            "hours" => Unit::Hour,
            "minutes" => Unit::Minute,
            "seconds" => Unit::Second,
            _ => Unit::Day,
        };
        let span = from.until((unit, &to)).map_err(|error| error.to_string())?;
        Ok(Value::Integer(match unit {
            Unit::Year => i64::from(span.get_years()),
            Unit::Month => i64::from(span.get_months()),
            Unit::Week => i64::from(span.get_weeks()),
            Unit::Day => i64::from(span.get_days()),
            Unit::Hour => i64::from(span.get_hours()),
            Unit::Minute => span.get_minutes(),
            _ => span.get_seconds(),
        }))
    },
};
