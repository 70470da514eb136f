//! How a picture is turned to be looked at, and where a part of it was before that.

use diaporos_core::image::Area;
use image::metadata::Orientation;

/// Whether what was across is down.
fn lies(orientation: Orientation) -> bool {
    use Orientation::{Rotate90, Rotate90FlipH, Rotate270, Rotate270FlipH};
    matches!(orientation, Rotate90 | Rotate270 | Rotate90FlipH | Rotate270FlipH)
}

/// A size once it is turned, or before; it is the same either way.
pub(super) fn turned(orientation: Orientation, (width, height): (u32, u32)) -> (u32, u32) {
    if lies(orientation) { (height, width) } else { (width, height) }
}

/// A part of a turned picture as it was before, in a picture of that size.
pub(super) fn unturned(orientation: Orientation, part: Area, (wide, high): (u32, u32)) -> Area {
    use Orientation::{
        FlipHorizontal, FlipVertical, NoTransforms, Rotate90, Rotate90FlipH, Rotate180, Rotate270, Rotate270FlipH,
    };
    let Area { x, y, width, height } = part;
    let at = |x: u32, y: u32, width: u32, height: u32| Area { x, y, width, height };
    match orientation {
        NoTransforms => part,
        FlipHorizontal => at(wide - x - width, y, width, height),
        FlipVertical => at(x, high - y - height, width, height),
        Rotate180 => at(wide - x - width, high - y - height, width, height),
        Rotate90 => at(y, high - x - width, height, width),
        Rotate270 => at(wide - y - height, x, height, width),
        Rotate90FlipH => at(y, x, height, width),
        Rotate270FlipH => at(wide - y - height, high - x - width, height, width),
    }
}
