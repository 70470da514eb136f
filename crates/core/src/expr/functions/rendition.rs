use super::crop::member;
use super::{Arguments, Function, Kind, Lifts, Parameter, gives};
use crate::image::{Along, PictureOrder};
use crate::value::Value;

pub(super) const RENDITION: Function = Function {
    name: "rendition",
    group: "Pictures",
    summary: "What a picture becomes for a place: a file of the rendition of that name, by the picture's `focal_point` and `area`. The picture is an address, or a record with one at `url`; the field that it goes to takes files.",
    takes: Kind::Anything,
    gives: gives::url,
    parameters: &[Parameter { name: "name", kind: Kind::Rendition, optional: false }],
    examples: &[(
        "\"https://gardens.example/fern.jpg\" | rendition \"small\"",
        "\"https://gardens.example/fern.jpg#rendition=small;320x240;cover;jpeg;82\"",
    )],
    lifts: Lifts::Top,
    body: of_picture,
};

fn of_picture(picture: &Value, arguments: &Arguments<'_>) -> Result<Value, String> {
    let address = match picture {
        Value::Text(text) => Some(text.as_str()),
        other => member(other, "url").and_then(Value::as_text),
    };
    let address = address.filter(|address| !address.is_empty()).ok_or("the picture has no address at `url`")?;
    let name = arguments.text(0);
    let rendition = arguments.library().renditions.get(name);
    let rendition = rendition.ok_or_else(|| format!("there is no rendition `{name}`"))?.clone();
    let focal_point = numbers(picture, "focal_point", ["x", "y"])?;
    let area = numbers(picture, "area", ["x", "y", "width", "height"])?;
    let order = PictureOrder { name: name.to_owned(), rendition, focal_point, area, cut: None };
    let plain = address.split('#').next().unwrap_or(address);
    Ok(Value::Text(format!("{plain}#{}", order.fragment())))
}

/// Numbers of a record of a picture; none where it has none.
fn numbers<const COUNT: usize>(
    picture: &Value,
    of: &str,
    names: [&str; COUNT],
) -> Result<Option<[Along; COUNT]>, String> {
    let Some(record) = member(picture, of).filter(|record| !record.is_null()) else { return Ok(None) };
    let mut numbers = Vec::with_capacity(COUNT);
    for name in names {
        let wrong = || format!("`{of}.{name}` is neither a whole number of pixels nor a fraction from 0 to 1");
        numbers.push(match member(record, name) {
            Some(Value::Integer(pixels)) => u32::try_from(*pixels).map(Along::Pixels).map_err(|_| wrong())?,
            Some(Value::Number(part)) if (0.0..=1.0).contains(part) => {
                Along::Millionths(format!("{:.0}", part * 1e6).parse().map_err(|_| wrong())?)
            }
            _ => return Err(wrong()),
        });
    }
    Ok(numbers.try_into().ok())
}
