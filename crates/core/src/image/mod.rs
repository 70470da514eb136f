//! Pictures: what of them is shown.

mod crop;

pub use crop::{Area, AspectRatio, Crop, Point, crop};
