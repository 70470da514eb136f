use super::*;
use diaporos_core::image::{Area, Fit, PictureFormat, Rendition, Size};
use image::codecs::jpeg::JpegEncoder;
use image::{ImageEncoder, Rgb, RgbImage, Rgba, RgbaImage};

const RED: Rgb<u8> = Rgb([220, 30, 30]);
const BLUE: Rgb<u8> = Rgb([30, 30, 220]);

fn order(size: Size, fit: Fit, format: PictureFormat) -> PictureOrder {
    let rendition = Rendition { size, fit, background: None, format, quality: 90, enlarges: false };
    PictureOrder { name: "small".to_owned(), rendition, focal_point: None, area: None, cut: None }
}

/// A picture whose left half is red and whose right half is blue, with its orientation (Exif) if any.
fn halves(width: u32, height: u32, orientation: Option<u8>) -> Vec<u8> {
    let picture = RgbImage::from_fn(width, height, |x, _| if x < width / 2 { RED } else { BLUE });
    let mut bytes = Vec::new();
    let mut encoder = JpegEncoder::new_with_quality(&mut bytes, 95);
    if let Some(orientation) = orientation {
        // One entry: tag 0x0112, a short; and a comment that tells where it was taken.
        let mut exif = b"II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0".to_vec();
        exif.extend([orientation, 0, 0, 0, 0, 0, 0, 0]);
        exif.extend(b"52.1N 3.2W");
        encoder.set_exif_metadata(exif).unwrap();
    }
    encoder.write_image(&picture, width, height, image::ExtendedColorType::Rgb8).unwrap();
    bytes
}

fn seen(bytes: &[u8]) -> RgbImage {
    image::load_from_memory(bytes).unwrap().into_rgb8()
}

fn is_like(pixel: &Rgb<u8>, wanted: Rgb<u8>) -> bool {
    pixel.0.iter().zip(wanted.0).all(|(a, b)| a.abs_diff(b) < 24)
}

#[test]
fn cut_scaled_and_written_in_each_format() {
    let bytes = halves(400, 200, None);
    for (format, media) in
        [(PictureFormat::Jpeg, "image/jpeg"), (PictureFormat::Png, "image/png"), (PictureFormat::Webp, "image/webp")]
    {
        let mut order = order(Size::Both(100, 100), Fit::Cover, format);
        order.area = Some(["250", "0", "100", "100"].map(|side| side.parse().unwrap()));
        let made = made(&bytes, &order).unwrap();
        assert_eq!((made.size, made.of, made.framing.keeps), ((100, 100), (400, 200), true));
        assert_eq!(infer::get(&made.bytes).unwrap().mime_type(), media);
        let picture = seen(&made.bytes);
        assert!(is_like(picture.get_pixel(80, 50), BLUE), "{:?}", picture.get_pixel(80, 50));
    }
}

#[test]
fn turned_as_it_is_looked_at_and_nothing_else_is_told() {
    // Rotated by 90 degrees, what was left is up.
    for (orientation, size, upper_left, lower_right) in [
        (1, (40, 20), RED, BLUE),
        (2, (40, 20), BLUE, RED),
        (3, (40, 20), BLUE, RED),
        (4, (40, 20), RED, BLUE),
        (5, (20, 40), RED, BLUE),
        (6, (20, 40), RED, BLUE),
        (7, (20, 40), BLUE, RED),
        (8, (20, 40), BLUE, RED),
    ] {
        let bytes = halves(400, 200, Some(orientation));
        let whole = made(&bytes, &order(Size::Shape(size.0, size.1), Fit::Cover, PictureFormat::Png)).unwrap();
        assert_eq!(whole.of, (size.0 * 10, size.1 * 10), "{orientation}");
        let picture = seen(&whole.bytes);
        let corner = |x: u32, y: u32| *picture.get_pixel(x, y);
        let (width, height) = whole.size;
        assert!(is_like(&corner(5, 5), upper_left), "{orientation}: {:?}", corner(5, 5));
        assert!(is_like(&corner(width - 6, height - 6), lower_right), "{orientation}");
        let text = String::from_utf8_lossy(&whole.bytes).into_owned();
        assert!(!text.contains("52.1N"), "the place is left out");
        // A part of it is the part that is looked at.
        let mut cut = order(Size::Both(10, 10), Fit::Cover, PictureFormat::Png);
        cut.cut = Some((Area { x: 0, y: 0, width: 60, height: 60 }, hash(&bytes)));
        assert!(is_like(seen(&made(&bytes, &cut).unwrap().bytes).get_pixel(5, 5), upper_left), "{orientation}");
    }
}

#[test]
fn whole_in_its_frame_and_on_its_background() {
    let bytes = halves(400, 200, None);
    let mut order = order(Size::Both(100, 100), Fit::Contain, PictureFormat::Png);
    assert_eq!(made(&bytes, &order).unwrap().size, (100, 50));
    order.rendition.background = Some("#f4f1e8".parse().unwrap());
    let framed = made(&bytes, &order).unwrap();
    assert_eq!(framed.size, (100, 100));
    assert!(is_like(seen(&framed.bytes).get_pixel(50, 5), Rgb([0xf4, 0xf1, 0xe8])));
    // What lets something through stands on the background where the format does not.
    let glass = RgbaImage::from_pixel(50, 50, Rgba([200, 0, 0, 0]));
    let mut bytes = Vec::new();
    image::codecs::png::PngEncoder::new(&mut bytes)
        .write_image(&glass, 50, 50, image::ExtendedColorType::Rgba8)
        .unwrap();
    order.rendition.format = PictureFormat::Jpeg;
    assert!(is_like(seen(&made(&bytes, &order).unwrap().bytes).get_pixel(25, 25), Rgb([0xf4, 0xf1, 0xe8])));
    order.rendition = Rendition { background: None, format: PictureFormat::Webp, ..order.rendition };
    let through = image::load_from_memory(&made(&bytes, &order).unwrap().bytes).unwrap().into_rgba8();
    assert_eq!(through.get_pixel(25, 25).0[3], 0);
}

#[test]
fn never_larger_than_it_is_unless_that_is_said() {
    let bytes = halves(40, 20, None);
    let mut order = order(Size::Both(400, 400), Fit::Cover, PictureFormat::Png);
    let small = made(&bytes, &order).unwrap();
    assert_eq!((small.size, small.framing.is_full), ((20, 20), false));
    order.rendition.enlarges = true;
    assert_eq!(made(&bytes, &order).unwrap().size, (400, 400));
}

#[test]
fn colours_keep_their_profile() {
    let profile = moxcms::ColorProfile::new_display_p3().encode().unwrap();
    let picture = RgbImage::from_pixel(20, 20, Rgb([250, 20, 20]));
    let mut bytes = Vec::new();
    let mut encoder = JpegEncoder::new_with_quality(&mut bytes, 95);
    encoder.set_icc_profile(profile.clone()).unwrap();
    encoder.write_image(&picture, 20, 20, image::ExtendedColorType::Rgb8).unwrap();
    for format in [PictureFormat::Jpeg, PictureFormat::Png] {
        let made = made(&bytes, &order(Size::Width(10), Fit::Cover, format)).unwrap();
        let mut decoder = image::ImageReader::new(std::io::Cursor::new(&made.bytes))
            .with_guessed_format()
            .unwrap()
            .into_decoder()
            .unwrap();
        assert_eq!(image::ImageDecoder::icc_profile(&mut decoder).unwrap().as_ref(), Some(&profile), "{format:?}");
    }
    // Told in sRGB, the red of the wider space is a redder red.
    let made = made(&bytes, &order(Size::Width(10), Fit::Cover, PictureFormat::Webp)).unwrap();
    let [red, green, _] = seen(&made.bytes).get_pixel(5, 5).0;
    assert!(red > 250 && green < 15, "{red} {green}");
}

#[test]
fn what_is_none_or_too_large_is_refused_before_it_is_read() {
    let order = order(Size::Width(10), Fit::Cover, PictureFormat::Jpeg);
    let text = |bytes: &[u8]| made(bytes, &order).unwrap_err().to_string();
    for wrong in [&b""[..], b"<html>log in</html>", b"\x89PNG\r\n\x1a\n", &halves(40, 20, None)[..200]] {
        assert!(text(wrong).contains("no picture that can be read"), "{}", text(wrong));
    }
    // A header alone says 50,000 by 50,000.
    let mut huge = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR".to_vec();
    huge.extend([0, 0, 0xc3, 0x50, 0, 0, 0xc3, 0x50, 8, 2, 0, 0, 0]);
    let sum = crc32fast::hash(&huge[12..]);
    huge.extend(sum.to_be_bytes());
    huge.extend(b"\0\0\0\0IDAT\x35\xaf\x06\x1e");
    assert!(text(&huge).contains("it has 50000 by 50000 pixels"), "{}", text(&huge));
}
