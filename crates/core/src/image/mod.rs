//! Pictures: what of them is shown, and what they become for a place.

mod crop;
mod fragment;
mod rendition;

pub use crop::{Area, AspectRatio, Crop, Point, crop};
pub use rendition::{Along, Colour, Fit, Framing, LARGEST_SIDE, PictureFormat, PictureOrder, Rendition, Size};
