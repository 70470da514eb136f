//! Reading a picture within limits.

use std::io::Cursor;

use image::metadata::Orientation;
use image::{DynamicImage, ImageDecoder, ImageReader};

use super::turned::turned;
use super::{LONGEST_SIDE, MOST_PIXELS, PictureFault};

/// The most bytes that are set aside for a picture.
const MOST_BYTES: u64 = 640 << 20;

/// A picture, read: eight bits a channel, with alpha or without.
pub(super) struct Pixels {
    pub(super) image: DynamicImage,
    pub(super) orientation: Orientation,
    /// The profile of its colours (ICC), where they are red, green and blue.
    pub(super) profile: Option<Vec<u8>>,
}

fn unreadable(error: &image::ImageError) -> PictureFault {
    PictureFault::Unreadable(error.to_string())
}

fn decoder(bytes: &[u8]) -> Result<impl ImageDecoder + '_, PictureFault> {
    let broken = |error: std::io::Error| PictureFault::Unreadable(error.to_string());
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(broken)?;
    let mut limits = image::Limits::default();
    limits.max_alloc = Some(MOST_BYTES);
    reader.limits(limits);
    let decoder = reader.into_decoder().map_err(|error| unreadable(&error))?;
    let (width, height) = decoder.dimensions();
    if width.max(height) > LONGEST_SIDE || u64::from(width) * u64::from(height) > MOST_PIXELS {
        return Err(PictureFault::TooLarge(width, height));
    }
    if width == 0 || height == 0 {
        return Err(PictureFault::Unreadable("it has no size".to_owned()));
    }
    Ok(decoder)
}

/// The size of a picture as it is looked at.
pub(super) fn size(bytes: &[u8]) -> Result<(u32, u32), PictureFault> {
    let mut decoder = decoder(bytes)?;
    // What is said wrongly of how it is to be turned is not said.
    let orientation = decoder.orientation().unwrap_or(Orientation::NoTransforms);
    Ok(turned(orientation, decoder.dimensions()))
}

pub(super) fn read(bytes: &[u8]) -> Result<Pixels, PictureFault> {
    let mut decoder = decoder(bytes)?;
    let orientation = decoder.orientation().unwrap_or(Orientation::NoTransforms);
    let profile = decoder.icc_profile().ok().flatten().filter(|profile| profile.get(16..20) == Some(b"RGB "));
    let image = DynamicImage::from_decoder(decoder).map_err(|error| unreadable(&error))?;
    let image = match image {
        DynamicImage::ImageRgb8(_) | DynamicImage::ImageRgba8(_) => image,
        other if other.color().has_alpha() => DynamicImage::ImageRgba8(other.into_rgba8()),
        other => DynamicImage::ImageRgb8(other.into_rgb8()),
    };
    Ok(Pixels { image, orientation, profile })
}
