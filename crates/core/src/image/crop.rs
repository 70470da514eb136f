//! Focal-point crops, in whole pixels and exact integer arithmetic.

/// A point in a picture, in pixels from its left upper corner.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Point {
    /// From the left.
    pub x: u32,
    /// From the top.
    pub y: u32,
}

/// A rectangle in a picture, in pixels.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Area {
    /// Its left side.
    pub x: u32,
    /// Its upper side.
    pub y: u32,
    /// Its width.
    pub width: u32,
    /// Its height.
    pub height: u32,
}

/// How wide something is to how high, as `16:9`; neither is zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct AspectRatio {
    width: u32,
    height: u32,
}

impl AspectRatio {
    /// A shape, unless a side is zero.
    #[must_use]
    pub fn new(width: u32, height: u32) -> Option<AspectRatio> {
        (width > 0 && height > 0).then_some(AspectRatio { width, height })
    }
}

/// The part of a picture that is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Crop {
    /// The rectangle.
    pub area: Area,
    /// Whether the area of interest is in it whole.
    pub keeps: bool,
}

/// The largest rectangle of a shape within a picture, laid so that the area of interest is in it,
/// and the focal point as near as can be to the place that it has in the whole picture: what stands
/// at a third of the width stands at a third of the crop's. An area that is larger than the crop is
/// shown around its middle.
#[must_use]
pub fn crop(picture: AspectRatio, point: Point, interest: Option<Area>, shape: AspectRatio) -> Crop {
    let (width, height) = largest(picture, shape);
    let (x, keeps_x) = lay(picture.width, width, point.x, interest.map(|area| (area.x, area.width)));
    let (y, keeps_y) = lay(picture.height, height, point.y, interest.map(|area| (area.y, area.height)));
    Crop { area: Area { x, y, width, height }, keeps: keeps_x && keeps_y }
}

/// The largest rectangle; a side that is no whole number of pixels is rounded to the nearest.
fn largest(picture: AspectRatio, shape: AspectRatio) -> (u32, u32) {
    let (width, height) = (u64::from(picture.width), u64::from(picture.height));
    let (across, down) = (u64::from(shape.width), u64::from(shape.height));
    let side = |whole: u64| u32::try_from(whole.max(1)).unwrap_or(u32::MAX);
    if width * down <= height * across {
        (picture.width, side((2 * width * down + across) / (2 * across)).min(picture.height))
    } else {
        (side((2 * height * across + down) / (2 * down)).min(picture.width), picture.height)
    }
}

/// Where a stretch begins in a longer one, and whether it keeps what it should.
fn lay(whole: u32, part: u32, point: u32, keep: Option<(u32, u32)>) -> (u32, bool) {
    let spare = u64::from(whole - part);
    // The point's place in the part is `point * part / whole`: the rest lies before the part.
    let wanted = (2 * u64::from(point.min(whole)) * spare + u64::from(whole)) / (2 * u64::from(whole));
    let wanted = u32::try_from(wanted.min(spare)).unwrap_or(u32::MAX);
    let Some((start, length)) = keep else { return (wanted, true) };
    let start = start.min(whole);
    let end = start.saturating_add(length).min(whole);
    if end - start > part {
        let middle = start + (end - start) / 2;
        return (middle.saturating_sub(part / 2).min(whole - part), false);
    }
    (wanted.clamp(end.saturating_sub(part), start.min(whole - part)), true)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn at(x: u32, y: u32, width: u32, height: u32) -> Area {
        Area { x, y, width, height }
    }

    #[test]
    fn crops() {
        let shape = |width, height| AspectRatio::new(width, height).unwrap();
        let point = |x, y| Point { x, y };
        for (picture, focal, interest, wanted, expected, keeps) in [
            (shape(1600, 900), point(800, 450), None, shape(16, 9), at(0, 0, 1600, 900), true),
            (shape(1600, 900), point(800, 450), None, shape(1, 1), at(350, 0, 900, 900), true),
            (shape(1600, 900), point(0, 0), None, shape(1, 1), at(0, 0, 900, 900), true),
            (shape(1600, 900), point(1600, 900), None, shape(1, 1), at(700, 0, 900, 900), true),
            (shape(1600, 900), point(400, 0), None, shape(1, 1), at(175, 0, 900, 900), true),
            // The point would have the crop at 0; the area moves it.
            (shape(1600, 900), point(0, 0), Some(at(500, 0, 500, 100)), shape(1, 1), at(100, 0, 900, 900), true),
            (shape(1600, 900), point(0, 0), Some(at(100, 0, 1200, 100)), shape(1, 1), at(250, 0, 900, 900), false),
            (shape(1000, 1000), point(500, 500), None, shape(3, 1), at(0, 334, 1000, 333), true),
            (shape(1, 1), point(0, 0), None, shape(1000, 1), at(0, 0, 1, 1), true),
        ] {
            assert_eq!(
                crop(picture, focal, interest, wanted),
                Crop { area: expected, keeps },
                "{picture:?} {wanted:?}"
            );
        }
        assert_eq!(AspectRatio::new(0, 3), None);
    }

    proptest! {
        #[test]
        fn within_the_picture_largest_and_with_the_area(
            (w, h) in (1u32..5_000, 1u32..5_000), (a, b) in (1u32..100, 1u32..100),
            (fx, fy) in (0u32..5_000, 0u32..5_000), (x, y, width, height) in (0u32..5_000, 0u32..5_000, 0u32..500, 0u32..500),
        ) {
            let picture = AspectRatio::new(w, h).unwrap();
            let area = at(x.min(w), y.min(h), width.min(w - x.min(w)), height.min(h - y.min(h)));
            let Crop { area: found, keeps } = crop(picture, Point { x: fx, y: fy }, Some(area), AspectRatio::new(a, b).unwrap());
            prop_assert!(found.x + found.width <= w && found.y + found.height <= h && found.width > 0 && found.height > 0);
            prop_assert!(found.width == w || found.height == h);
            let inside = found.x <= area.x && area.x + area.width <= found.x + found.width
                && found.y <= area.y && area.y + area.height <= found.y + found.height;
            prop_assert_eq!(keeps, inside);
        }
    }
}
