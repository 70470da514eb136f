//! Made-up photographs of plants: leaves of light and shade, drawn when they are asked for.

use image::codecs::jpeg::JpegEncoder;
use image::{ExtendedColorType, ImageEncoder, Rgb, RgbImage};

const WIDTH: u32 = 1_800;
const HEIGHT: u32 = 1_200;

/// The photograph of that number, as a JPEG; none where it cannot be written.
pub(crate) fn photograph(number: u32) -> Option<Vec<u8>> {
    let picture = RgbImage::from_fn(WIDTH, HEIGHT, |x, y| shade(number, x, y));
    let mut bytes = Vec::new();
    let encoder = JpegEncoder::new_with_quality(&mut bytes, 85);
    encoder.write_image(&picture, WIDTH, HEIGHT, ExtendedColorType::Rgb8).ok()?;
    Some(bytes)
}

/// The colour at a place: fronds on both sides of a stem that bends, before a ground that grows dark downwards.
#[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "each colour is held within a byte")]
fn shade(number: u32, x: u32, y: u32) -> Rgb<u8> {
    let part = |pixels: u32, side: u32| f64::from(pixels) / f64::from(side);
    let (across, down) = (part(x, WIDTH), part(y, HEIGHT));
    let own = f64::from(number % 31) / 4.0;
    let stem = 0.35 + own * 0.05 + 0.12 * (down * (2.0 + own * 0.3)).sin();
    let (away, along) = ((across - stem) * 1.5, 1.0 - down);
    let reach = 0.34 * along.max(0.0).powf(0.8) + 0.02;
    let frond = ((along * 34.0 + own - away.abs() * 9.0).sin() + 1.0) / 2.0;
    let is_leaf = away.abs() < reach * (0.55 + 0.45 * frond) && down < 0.94;
    let light = 0.75 + 0.25 * (across * 5.0 + own).sin() * (down * 4.0).cos();
    let byte = |value: f64| (value * light).clamp(0.0, 255.0) as u8;
    if away.abs() < 0.006 {
        Rgb([byte(120.0), byte(96.0), byte(60.0)])
    } else if is_leaf {
        let fresh = 1.0 - away.abs() / reach;
        Rgb([byte(60.0 + 70.0 * fresh + own * 6.0), byte(120.0 + 70.0 * fresh), byte(62.0 + own * 8.0)])
    } else {
        Rgb([byte(214.0 - 90.0 * down + own * 5.0), byte(220.0 - 80.0 * down), byte(196.0 - 95.0 * down)])
    }
}
