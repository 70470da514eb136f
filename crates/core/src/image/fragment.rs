//! What is made of a picture, as the fragment of its address (RFC 3986, §3.5).

use super::{Along, Area, Fit, PictureFormat, PictureOrder, Rendition, Size};

impl PictureOrder {
    /// The order as the fragment of a picture's address, which no server is sent.
    #[must_use]
    pub fn fragment(&self) -> String {
        let Rendition { size, fit, background, format, quality, enlarges } = &self.rendition;
        let size = match size {
            Size::Both(width, height) => format!("{width}x{height}"),
            Size::Width(width) => format!("{width}x"),
            Size::Height(height) => format!("x{height}"),
            Size::Shape(width, height) => format!("{width}:{height}"),
        };
        let fit = Fit::WORDS.iter().find(|(_, known)| known == fit).map_or("", |(word, _)| word);
        let mut text = format!("{MARK}{};{size};{fit};{};{quality}", self.name, format.word());
        let joined = |numbers: &[Along]| numbers.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
        if *enlarges {
            text += ";enlarge";
        }
        if let Some(colour) = background {
            text += &format!(";on={}", colour.to_string().trim_start_matches('#'));
        }
        if let Some(point) = &self.focal_point {
            text += &format!(";at={}", joined(point));
        }
        if let Some(area) = &self.area {
            text += &format!(";keep={}", joined(area));
        }
        if let Some((Area { x, y, width, height }, hash)) = &self.cut {
            text += &format!(";cut={x},{y},{width},{height},{hash}");
        }
        text
    }

    /// A picture's address and what is made of it, where an address says so.
    #[must_use]
    pub fn of_address(address: &str) -> Option<(&str, PictureOrder)> {
        let (picture, text) = address.split_once('#')?;
        let mut parts = text.strip_prefix(MARK)?.split(';');
        let name = parts.next()?.to_owned();
        let size = parts.next()?;
        let size = match (size.split_once('x'), size.split_once(':')) {
            (Some((width, "")), _) => Size::Width(width.parse().ok()?),
            (Some(("", height)), _) => Size::Height(height.parse().ok()?),
            (Some((width, height)), _) => Size::Both(width.parse().ok()?, height.parse().ok()?),
            (None, Some((width, height))) => Size::Shape(width.parse().ok()?, height.parse().ok()?),
            (None, None) => return None,
        };
        let (fit, format) = (parts.next()?, parts.next()?);
        let fit = Fit::WORDS.iter().find(|(word, _)| *word == fit)?.1;
        let format = PictureFormat::WORDS.iter().find(|(word, _)| *word == format)?.1;
        let quality = parts.next()?.parse().ok()?;
        let rendition = Rendition { size, fit, background: None, format, quality, enlarges: false };
        let mut order = PictureOrder { name, rendition, focal_point: None, area: None, cut: None };
        for part in parts {
            match part.split_once('=') {
                None if part == "enlarge" => order.rendition.enlarges = true,
                Some(("on", digits)) => order.rendition.background = Some(format!("#{digits}").parse().ok()?),
                Some(("at", numbers)) => order.focal_point = Some(numbers_of(numbers)?),
                Some(("keep", numbers)) => order.area = Some(numbers_of(numbers)?),
                Some(("cut", text)) => {
                    let (numbers, hash) = text.rsplit_once(',')?;
                    let [x, y, width, height] = numbers_of(numbers)?.map(|along| along.of(u32::MAX));
                    order.cut = Some((Area { x, y, width, height }, hash.to_owned()));
                }
                _ => return None,
            }
        }
        Some((picture, order))
    }
}

/// What a fragment begins with that says what is made of a picture.
const MARK: &str = "rendition=";

fn numbers_of<const COUNT: usize>(text: &str) -> Option<[Along; COUNT]> {
    let numbers: Option<Vec<Along>> = text.split(',').map(|number| number.parse().ok()).collect();
    numbers?.try_into().ok()
}
