use super::{Function, Kind, Lifts, Parameter, gives, record};
use crate::image::{Area, AspectRatio, Crop, Point, crop};
use crate::value::Value;

pub(super) const CROP: Function = Function {
    name: "crop",
    group: "Pictures",
    summary: "The largest part of a picture in a shape, `\"16:9\"` or `\"1200x630\"`, that keeps its `area` and has its `focal_point` as near as can be to its place. The picture is a record with `width` and `height`; whole numbers are pixels, fractions parts of the side.",
    takes: Kind::Record,
    gives: gives::crop,
    parameters: &[Parameter { name: "shape", kind: Kind::Text, optional: false }],
    examples: &[(
        "{ width: 1600, height: 900, focal_point: { x: 0.25, y: 0.5 } } | crop \"1:1\"",
        "{ x: 175, y: 0, width: 900, height: 900, keeps: true }",
    )],
    lifts: Lifts::Top,
    body: |input, arguments| crop_of(input, arguments.text(0)),
};

fn crop_of(picture: &Value, shape: &str) -> Result<Value, String> {
    let sides = shape
        .split_once([':', 'x'])
        .and_then(|(a, b)| AspectRatio::new(a.trim().parse().ok()?, b.trim().parse().ok()?));
    let shape = sides.ok_or_else(|| format!("`{shape}` is no shape; one is `16:9`, or `1200x630`"))?;
    let side = |name: &str| match member(picture, name) {
        Some(Value::Integer(pixels @ 1..)) => u32::try_from(*pixels).ok(),
        _ => None,
    };
    let (Some(width), Some(height)) = (side("width"), side("height")) else {
        return Err("the picture has no `width` and `height` in pixels".to_owned());
    };
    let whole = AspectRatio::new(width, height).ok_or_else(|| "the picture has no size".to_owned())?;
    let point = match member(picture, "focal_point") {
        Some(point) if !point.is_null() => Point { x: pixels(point, "x", width)?, y: pixels(point, "y", height)? },
        _ => Point { x: width / 2, y: height / 2 },
    };
    let interest = match member(picture, "area") {
        Some(area) if !area.is_null() => Some(Area {
            x: pixels(area, "x", width)?,
            y: pixels(area, "y", height)?,
            width: pixels(area, "width", width)?,
            height: pixels(area, "height", height)?,
        }),
        _ => None,
    };
    let Crop { area, keeps } = crop(whole, point, interest, shape);
    let number = |pixels: u32| Value::Integer(pixels.into());
    Ok(record([
        ("x", number(area.x)),
        ("y", number(area.y)),
        ("width", number(area.width)),
        ("height", number(area.height)),
        ("keeps", Value::Boolean(keeps)),
    ]))
}

/// A distance in pixels: as it stands where it is whole, else as a part of the side.
fn pixels(of: &Value, name: &str, side: u32) -> Result<u32, String> {
    let wrong = || format!("`{name}` is neither a whole number of pixels nor a fraction from 0 to 1");
    match member(of, name) {
        Some(Value::Integer(pixels)) => u32::try_from(*pixels).map_err(|_| wrong()),
        Some(Value::Number(part)) if (0.0..=1.0).contains(part) => {
            // Exact from here on: the fraction as millionths.
            let millionths = format!("{:.0}", part * 1e6).parse::<u64>().map_err(|_| wrong())?;
            u32::try_from((millionths * u64::from(side) + 500_000) / 1_000_000).map_err(|_| wrong())
        }
        _ => Err(wrong()),
    }
}

pub(super) fn member<'a>(of: &'a Value, name: &str) -> Option<&'a Value> {
    if let Value::Record(members) = of { members.get(name) } else { None }
}
