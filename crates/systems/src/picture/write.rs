//! Framing a picture, and writing it.

use diaporos_core::image::{Colour, Framing, PictureFormat, PictureOrder};
use image::codecs::jpeg::JpegEncoder;
use image::codecs::png::PngEncoder;
use image::{DynamicImage, ImageEncoder, Rgb, RgbImage, Rgba, RgbaImage, imageops};
use moxcms::{ColorProfile, Layout, TransformOptions};

use super::PictureFault;

/// What stands behind a picture that lets something through, in a format that does not.
const PAPER: Colour = Colour([255, 255, 255]);

/// Puts a picture in the middle of its frame, and on a background where its format lets nothing through.
pub(super) fn framed(picture: DynamicImage, framing: &Framing, order: &PictureOrder) -> DynamicImage {
    let (width, height) = framing.frame;
    let lets_through = picture.color().has_alpha();
    let is_whole = (picture.width(), picture.height()) == (width, height);
    let Colour([red, green, blue]) = order.rendition.background.unwrap_or(PAPER);
    let (x, y) =
        (i64::from(width.saturating_sub(picture.width()) / 2), i64::from(height.saturating_sub(picture.height()) / 2));
    let needs_ground =
        lets_through && (order.rendition.format == PictureFormat::Jpeg || order.rendition.background.is_some());
    if is_whole && !needs_ground {
        return picture;
    }
    match picture {
        DynamicImage::ImageRgb8(picture) => {
            let mut ground = RgbImage::from_pixel(width, height, Rgb([red, green, blue]));
            imageops::replace(&mut ground, &picture, x, y);
            DynamicImage::ImageRgb8(ground)
        }
        picture => {
            let mut ground = RgbaImage::from_pixel(width, height, Rgba([red, green, blue, 255]));
            imageops::overlay(&mut ground, &picture.into_rgba8(), x, y);
            DynamicImage::ImageRgb8(DynamicImage::ImageRgba8(ground).into_rgb8())
        }
    }
}

/// Writes a picture as it is wanted.
pub(super) fn written(
    picture: &DynamicImage,
    order: &PictureOrder,
    profile: Option<Vec<u8>>,
) -> Result<Vec<u8>, PictureFault> {
    let unwritten = |error: &dyn std::fmt::Display| PictureFault::Unwritten(error.to_string());
    let (bytes, width, height) = (picture.as_bytes(), picture.width(), picture.height());
    let color = picture.color().into();
    let mut out = Vec::new();
    match order.rendition.format {
        PictureFormat::Jpeg => {
            let mut encoder = JpegEncoder::new_with_quality(&mut out, order.rendition.quality);
            // A profile that cannot be written is left out.
            drop(profile.map(|profile| encoder.set_icc_profile(profile)));
            encoder.write_image(bytes, width, height, color).map_err(|error| unwritten(&error))?;
        }
        PictureFormat::Png => {
            let mut encoder = PngEncoder::new(&mut out);
            drop(profile.map(|profile| encoder.set_icc_profile(profile)));
            encoder.write_image(bytes, width, height, color).map_err(|error| unwritten(&error))?;
        }
        PictureFormat::Webp => {
            let told = profile.and_then(|profile| in_srgb(picture, &profile));
            let bytes = told.as_deref().unwrap_or(bytes);
            let encoder = match picture.color().has_alpha() {
                true => webp::Encoder::from_rgba(bytes, width, height),
                false => webp::Encoder::from_rgb(bytes, width, height),
            };
            let encoded = encoder.encode_simple(false, f32::from(order.rendition.quality));
            out.extend_from_slice(&encoded.map_err(|error| unwritten(&format!("{error:?}")))?);
        }
    }
    Ok(out)
}

/// The pixels as they are told in sRGB; none where the profile cannot be read, or says that they are.
fn in_srgb(picture: &DynamicImage, profile: &[u8]) -> Option<Vec<u8>> {
    let from = ColorProfile::new_from_slice(profile).ok()?;
    let layout = if picture.color().has_alpha() { Layout::Rgba } else { Layout::Rgb };
    let to = ColorProfile::new_srgb();
    let transform = from.create_transform_8bit(layout, &to, layout, TransformOptions::default()).ok()?;
    let mut told = vec![0; picture.as_bytes().len()];
    transform.transform(picture.as_bytes(), &mut told).ok()?;
    Some(told)
}
