//! Renditions: what a picture becomes for a place, and which part of it is shown there.

use std::fmt;
use std::str::FromStr;

use super::{Area, AspectRatio, Crop, Point, crop};

/// The most pixels of a side of a rendition.
pub const LARGEST_SIDE: u32 = 16_383;

/// A format in which renditions are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PictureFormat {
    /// JPEG, with a quality.
    Jpeg,
    /// PNG, without loss.
    Png,
    /// WebP, with a quality.
    Webp,
}

impl PictureFormat {
    /// The formats with their words.
    pub const WORDS: [(&str, PictureFormat); 3] =
        [("jpeg", PictureFormat::Jpeg), ("png", PictureFormat::Png), ("webp", PictureFormat::Webp)];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, format)| *format == self).map_or("", |(word, _)| word)
    }

    /// The ending of its files.
    #[must_use]
    pub fn ending(self) -> &'static str {
        if self == PictureFormat::Jpeg { "jpg" } else { self.word() }
    }

    /// Its media type.
    #[must_use]
    pub fn media(self) -> &'static str {
        match self {
            PictureFormat::Jpeg => "image/jpeg",
            PictureFormat::Png => "image/png",
            PictureFormat::Webp => "image/webp",
        }
    }
}

/// How a picture fills a rendition.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fit {
    /// It fills it; what does not fit is cut off.
    Cover,
    /// All of it is in it.
    Contain,
}

impl Fit {
    /// The ways with their words.
    pub const WORDS: [(&str, Fit); 2] = [("cover", Fit::Cover), ("contain", Fit::Contain)];
}

/// A colour, red, green and blue.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Colour(pub [u8; 3]);

impl FromStr for Colour {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || format!("`{text}` is no colour; one is `#f4f1e8`");
        let digits =
            text.strip_prefix('#').filter(|digits| digits.len() == 6 && digits.is_ascii()).ok_or_else(wrong)?;
        let part = |at: usize| u8::from_str_radix(&digits[at..at + 2], 16).map_err(|_| wrong());
        Ok(Colour([part(0)?, part(2)?, part(4)?]))
    }
}

impl fmt::Display for Colour {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Colour([red, green, blue]) = self;
        write!(f, "#{red:02x}{green:02x}{blue:02x}")
    }
}

/// What a picture becomes for a place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rendition {
    /// How large it is.
    pub size: Size,
    /// How the picture fills it.
    pub fit: Fit,
    /// What is around a picture that is in it whole; nothing is added where none is said.
    pub background: Option<Colour>,
    /// How it is written.
    pub format: PictureFormat,
    /// How well, from 1 to 100.
    pub quality: u8,
    /// Whether a picture that is smaller is made larger.
    pub enlarges: bool,
}

/// How large a rendition is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Size {
    /// So wide and so high.
    Both(u32, u32),
    /// So wide; as high as its picture makes it.
    Width(u32),
    /// So high; as wide as its picture makes it.
    Height(u32),
    /// Of this shape, and as large as its picture is.
    Shape(u32, u32),
}

/// A place in a picture along one side: in pixels where it is whole, else a part of the side in millionths.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Along {
    /// Pixels.
    Pixels(u32),
    /// Millionths of the side.
    Millionths(u32),
}

impl Along {
    /// In pixels of a side.
    #[must_use]
    pub fn of(self, side: u32) -> u32 {
        match self {
            Along::Pixels(pixels) => pixels.min(side),
            Along::Millionths(part) => {
                let pixels = (u64::from(part) * u64::from(side) + 500_000) / 1_000_000;
                u32::try_from(pixels).unwrap_or(u32::MAX).min(side)
            }
        }
    }
}

impl fmt::Display for Along {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Along::Pixels(pixels) => write!(f, "{pixels}"),
            Along::Millionths(part) => write!(f, "{part}m"),
        }
    }
}

impl FromStr for Along {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = |_| format!("`{text}` is no place in a picture");
        match text.strip_suffix('m') {
            Some(part) => part.parse().map(Along::Millionths).map_err(wrong),
            None => text.parse().map(Along::Pixels).map_err(wrong),
        }
    }
}

/// What is made of a picture: a rendition, with what is known of the picture.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PictureOrder {
    /// The rendition's name.
    pub name: String,
    /// The rendition.
    pub rendition: Rendition,
    /// The point that matters most; the middle where none is said.
    pub focal_point: Option<[Along; 2]>,
    /// The part that must be in it: left, top, width, height.
    pub area: Option<[Along; 4]>,
    /// The part that an editor chose, of the picture with this SHA-256.
    pub cut: Option<(Area, String)>,
}

/// Which part of a picture is shown, and how large.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Framing {
    /// The part of the picture.
    pub part: Area,
    /// How large that part becomes.
    pub scaled: (u32, u32),
    /// How large the whole becomes, where the part stands in its middle with a background around it.
    pub frame: (u32, u32),
    /// Whether the area of interest is in it whole.
    pub keeps: bool,
    /// Whether it is as large as the rendition says.
    pub is_full: bool,
}

impl PictureOrder {
    /// Which part of a picture of that size is shown, and how large; `hash` is that of its bytes.
    #[must_use]
    pub fn framing(&self, (width, height): (u32, u32), hash: &str) -> Framing {
        let picture = (width.max(1), height.max(1));
        let chosen = self.cut.as_ref().filter(|(_, of)| of == hash).map(|(area, _)| within(*area, picture));
        let shape = match self.rendition.size {
            Size::Both(width, height) | Size::Shape(width, height) => AspectRatio::new(width, height),
            Size::Width(_) | Size::Height(_) => None,
        };
        let whole = Area { x: 0, y: 0, width: picture.0, height: picture.1 };
        let (part, keeps) = match (chosen, shape, self.rendition.fit) {
            (Some(area), Some(shape), Fit::Cover) => (shaped(area, shape), true),
            (Some(area), ..) => (area, true),
            (None, Some(shape), Fit::Cover) => {
                let Crop { area, keeps } = self.cropped(picture, shape);
                (area, keeps)
            }
            _ => (whole, true),
        };
        let (wanted, scaled) = self.scaled((part.width, part.height));
        let pads = self.rendition.fit == Fit::Contain && self.rendition.background.is_some();
        let is_full = scaled == wanted || (self.rendition.fit == Fit::Contain && touches(scaled, wanted));
        Framing { part, scaled, frame: if pads { wanted } else { scaled }, keeps, is_full }
    }

    fn cropped(&self, (width, height): (u32, u32), shape: AspectRatio) -> Crop {
        let middle = [Along::Millionths(500_000); 2];
        let [x, y] = self.focal_point.unwrap_or(middle);
        let point = Point { x: x.of(width), y: y.of(height) };
        let area = self.area.map(|[x, y, across, down]| Area {
            x: x.of(width),
            y: y.of(height),
            width: across.of(width),
            height: down.of(height),
        });
        // Neither side is zero.
        match AspectRatio::new(width, height) {
            Some(picture) => crop(picture, point, area, shape),
            None => Crop { area: Area { x: 0, y: 0, width, height }, keeps: true },
        }
    }

    /// What a part is to be scaled to, and what it is scaled to.
    fn scaled(&self, part: (u32, u32)) -> ((u32, u32), (u32, u32)) {
        let (wide, high) = (u64::from(part.0), u64::from(part.1));
        let side = |pixels: u64| u32::try_from(pixels.max(1)).unwrap_or(LARGEST_SIDE).min(LARGEST_SIDE);
        let rounded = |a: u64, b: u64, by: u64| side((2 * a * b + by) / (2 * by));
        let wanted = match self.rendition.size {
            Size::Both(width, height) => (width, height),
            Size::Width(width) => (width, rounded(high, u64::from(width), wide)),
            Size::Height(height) => (rounded(wide, u64::from(height), high), height),
            Size::Shape(..) => part,
        };
        let (across, down) = (u64::from(wanted.0), u64::from(wanted.1));
        let fits = match self.rendition.fit {
            Fit::Cover => wanted,
            Fit::Contain if across * high <= down * wide => (wanted.0, rounded(high, across, wide)),
            Fit::Contain => (rounded(wide, down, high), wanted.1),
        };
        let grows = fits.0 > part.0 || fits.1 > part.1;
        // Never enlarged unless that is said: what is too small stays as large as it is, in its shape.
        (wanted, if grows && !self.rendition.enlarges { part } else { fits })
    }
}

/// The middle of a part in a shape.
fn shaped(area: Area, shape: AspectRatio) -> Area {
    let Some(own) = AspectRatio::new(area.width, area.height) else { return area };
    let middle = Point { x: area.width / 2, y: area.height / 2 };
    let Crop { area: Area { x, y, width, height }, .. } = crop(own, middle, None, shape);
    Area { x: area.x + x, y: area.y + y, width, height }
}

/// Whether one of two sides is as long as wanted.
fn touches(scaled: (u32, u32), wanted: (u32, u32)) -> bool {
    scaled.0 == wanted.0 || scaled.1 == wanted.1
}

/// A rectangle as far as it is within a picture; at least a pixel.
fn within(area: Area, (width, height): (u32, u32)) -> Area {
    let (x, y) = (area.x.min(width - 1), area.y.min(height - 1));
    Area { x, y, width: area.width.clamp(1, width - x), height: area.height.clamp(1, height - y) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn order(size: Size, fit: Fit) -> PictureOrder {
        let rendition =
            Rendition { size, fit, background: None, format: PictureFormat::Jpeg, quality: 82, enlarges: false };
        PictureOrder { name: "top-story".to_owned(), rendition, focal_point: None, area: None, cut: None }
    }

    #[test]
    fn framings() {
        let picture = (4000, 3000);
        for (order, part, scaled, is_full) in [
            (order(Size::Both(1200, 630), Fit::Cover), (0, 450, 4000, 2100), (1200, 630), true),
            (order(Size::Both(1200, 630), Fit::Contain), (0, 0, 4000, 3000), (840, 630), true),
            (order(Size::Width(800), Fit::Cover), (0, 0, 4000, 3000), (800, 600), true),
            (order(Size::Height(600), Fit::Contain), (0, 0, 4000, 3000), (800, 600), true),
            (order(Size::Shape(1, 1), Fit::Cover), (500, 0, 3000, 3000), (3000, 3000), true),
            // Too small: its shape, and no larger than it is.
            (order(Size::Both(8000, 4000), Fit::Cover), (0, 500, 4000, 2000), (4000, 2000), false),
        ] {
            let framing = order.framing(picture, "");
            let Area { x, y, width, height } = framing.part;
            assert_eq!(((x, y, width, height), framing.scaled, framing.is_full), (part, scaled, is_full), "{order:?}");
        }
        let mut large = order(Size::Both(8000, 4000), Fit::Cover);
        large.rendition.enlarges = true;
        assert_eq!(large.framing(picture, "").scaled, (8000, 4000));
        let mut padded = order(Size::Both(1200, 630), Fit::Contain);
        padded.rendition.background = Some("#f4f1e8".parse().unwrap());
        assert_eq!(padded.framing(picture, "").frame, (1200, 630));
        // An editor's cut counts for the picture that it was made of.
        let mut cut = order(Size::Both(100, 100), Fit::Cover);
        cut.cut = Some((Area { x: 10, y: 20, width: 300, height: 300 }, "abc".to_owned()));
        assert_eq!(cut.framing(picture, "abc").part, Area { x: 10, y: 20, width: 300, height: 300 });
        assert_eq!(cut.framing(picture, "other").part.width, 3000);
        assert_eq!(cut.framing((200, 100), "abc").part, Area { x: 65, y: 20, width: 80, height: 80 });
    }

    #[test]
    fn colours() {
        assert_eq!("#f4f1e8".parse::<Colour>().unwrap().to_string(), "#f4f1e8");
        for wrong in ["f4f1e8", "#f4f", "#gggggg", "#ééé"] {
            assert!(wrong.parse::<Colour>().is_err(), "{wrong}");
        }
    }

    fn along() -> impl Strategy<Value = Along> {
        prop_oneof![(0..5_000_u32).prop_map(Along::Pixels), (0..=1_000_000_u32).prop_map(Along::Millionths)]
    }

    fn any_order() -> impl Strategy<Value = PictureOrder> {
        let side = 1..9_000_u32;
        let size = prop_oneof![
            (side.clone(), side.clone()).prop_map(|(width, height)| Size::Both(width, height)),
            side.clone().prop_map(Size::Width),
            side.clone().prop_map(Size::Height),
            (1..40_u32, 1..40_u32).prop_map(|(width, height)| Size::Shape(width, height)),
        ];
        let rendition =
            (size, any::<bool>(), proptest::option::of(any::<[u8; 3]>()), 0..3_usize, 1..=100_u8, any::<bool>());
        let more = (
            proptest::option::of([along(), along()]),
            proptest::option::of([along(), along(), along(), along()]),
            proptest::option::of(([0..500_u32, 0..500, 1..500, 1..500], "[0-9a-f]{64}")),
        );
        (rendition, more).prop_map(
            |((size, cover, background, format, quality, enlarges), (focal_point, area, cut))| {
                let fit = if cover { Fit::Cover } else { Fit::Contain };
                let format = PictureFormat::WORDS[format].1;
                let rendition = Rendition { size, fit, background: background.map(Colour), format, quality, enlarges };
                let cut = cut.map(|([x, y, width, height], hash)| (Area { x, y, width, height }, hash));
                PictureOrder { name: "top-story".to_owned(), rendition, focal_point, area, cut }
            },
        )
    }

    proptest! {
        #[test]
        fn an_order_is_read_as_it_was_written(order in any_order()) {
            let address = format!("https://ostrel.example/fern.jpg#{}", order.fragment());
            prop_assert_eq!(PictureOrder::of_address(&address), Some(("https://ostrel.example/fern.jpg", order)));
        }

        #[test]
        fn what_is_shown_is_within_the_picture_and_never_enlarged_unasked(order in any_order(), width in 1..6_000_u32, height in 1..6_000_u32) {
            let framing = order.framing((width, height), "");
            let Area { x, y, width: across, height: down } = framing.part;
            prop_assert!(across > 0 && down > 0 && x + across <= width && y + down <= height);
            let (wide, high) = framing.scaled;
            prop_assert!(wide > 0 && high > 0);
            prop_assert!(order.rendition.enlarges || (wide <= across && high <= down), "{:?}", framing);
        }
    }
}
