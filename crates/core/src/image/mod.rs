//! Pictures: what of them is shown.

mod crop;

pub use crop::{Area, Crop, Point, Shape, crop};
