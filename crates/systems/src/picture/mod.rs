//! Pictures made from pictures: read within limits, cut, scaled and written anew.
//!
//! What a picture says beside its pixels is left out, its place above all; its orientation (Exif 2.32, tag 0x0112) is
//! carried out, and its colours stay as they are: their profile (ICC) goes with them, or they are told in sRGB where
//! the format here has no place for one.

mod read;
mod turned;
mod write;

use diaporos_core::image::{Framing, PictureOrder};
use sha2::{Digest, Sha256};

use fast_image_resize::images::{Image, ImageRef};
use fast_image_resize::{PixelType, ResizeAlg, ResizeOptions, Resizer};
use image::DynamicImage;

use read::{Pixels, read};
use turned::{turned, unturned};

/// The most pixels of a picture that is read.
pub const MOST_PIXELS: u64 = 120_000_000;
/// The most pixels of one of its sides.
pub const LONGEST_SIDE: u32 = 30_000;

/// Why nothing can be made of a picture.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PictureFault {
    /// It is none, or none that is known, or it is broken.
    #[error("it is no picture that can be read: {0}")]
    Unreadable(String),
    /// It is larger than what is read.
    #[error("it has {0} by {1} pixels; at most {MOST_PIXELS} are read, {LONGEST_SIDE} along a side")]
    TooLarge(u32, u32),
    /// It cannot be written so.
    #[error("it cannot be written as it is wanted: {0}")]
    Unwritten(String),
}

/// A picture that was made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MadePicture {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// Its width and height.
    pub size: (u32, u32),
    /// The width and height of the picture that it was made of, as it is looked at.
    pub of: (u32, u32),
    /// Which part of that it shows.
    pub framing: Framing,
}

/// The size of a picture as it is looked at, and the SHA-256 of its bytes.
///
/// # Errors
/// Where it is none, or too large.
pub fn measured(bytes: &[u8]) -> Result<((u32, u32), String), PictureFault> {
    Ok((read::size(bytes)?, hash(bytes)))
}

/// The media type of a picture, as its bytes tell.
#[must_use]
pub fn media(bytes: &[u8]) -> Option<&'static str> {
    infer::get(bytes).map(|kind| kind.mime_type()).filter(|media| media.starts_with("image/"))
}

fn hash(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().map(|byte| format!("{byte:02x}")).collect()
}

/// Makes what is ordered of a picture.
///
/// # Errors
/// Where it is none, or too large.
pub fn made(bytes: &[u8], order: &PictureOrder) -> Result<MadePicture, PictureFault> {
    let Pixels { image, orientation, profile } = read(bytes)?;
    let raw = (image.width(), image.height());
    let of = turned(orientation, raw);
    let framing = order.framing(of, &hash(bytes));
    let part = unturned(orientation, framing.part, raw);
    // Scaled first and turned then, since there is less to turn.
    let mut small = scaled(&image, part, turned(orientation, framing.scaled))?;
    drop(image);
    small.apply_orientation(orientation);
    let framed = write::framed(small, &framing, order);
    let size = (framed.width(), framed.height());
    let bytes = write::written(&framed, order, profile)?;
    Ok(MadePicture { bytes, size, of, framing })
}

fn scaled(
    image: &DynamicImage,
    part: diaporos_core::image::Area,
    (width, height): (u32, u32),
) -> Result<DynamicImage, PictureFault> {
    let unwritten = |error: &dyn std::fmt::Display| PictureFault::Unwritten(error.to_string());
    let pixels = if image.color().has_alpha() { PixelType::U8x4 } else { PixelType::U8x3 };
    let from =
        ImageRef::new(image.width(), image.height(), image.as_bytes(), pixels).map_err(|error| unwritten(&error))?;
    let mut to = Image::new(width, height, pixels);
    let (x, y) = (f64::from(part.x), f64::from(part.y));
    let options = ResizeOptions::new()
        .crop(x, y, f64::from(part.width), f64::from(part.height))
        .resize_alg(ResizeAlg::Convolution(fast_image_resize::FilterType::Lanczos3));
    Resizer::new().resize(&from, &mut to, &options).map_err(|error| unwritten(&error))?;
    let lost = || unwritten(&"its pixels do not fit its size");
    Ok(match pixels {
        PixelType::U8x4 => {
            DynamicImage::ImageRgba8(image::RgbaImage::from_raw(width, height, to.into_vec()).ok_or_else(lost)?)
        }
        _ => DynamicImage::ImageRgb8(image::RgbImage::from_raw(width, height, to.into_vec()).ok_or_else(lost)?),
    })
}

#[cfg(test)]
mod tests;
