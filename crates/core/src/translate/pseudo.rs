//! Pseudo-translation: text that can be read and told from the source, a third longer, for trying a
//! page before a word is paid for.

use super::variety::scripts;
use super::{Inline, Piece};
use crate::value::LanguageTag;

/// How a pseudo-translation is written, by the letters of its language.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Style {
    /// With accents, a third longer.
    Accents,
    /// From right to left, by an override (UAX #9), a third longer.
    RightToLeft,
    /// In wide letters, as Chinese, Japanese and Korean are set.
    Wide,
}

impl Style {
    fn of(language: &LanguageTag) -> Style {
        let scripts = scripts(language);
        let has = |codes: &[&str]| scripts.iter().any(|script| codes.contains(&script.as_str()));
        if has(&["Arab", "Hebr", "Syrc", "Thaa", "Nkoo", "Adlm"]) && !has(&["Latn", "Cyrl"]) {
            Style::RightToLeft
        } else if has(&["Hans", "Hant", "Hani", "Jpan", "Kore"]) {
            Style::Wide
        } else {
            Style::Accents
        }
    }
}

/// Begins text that is read from right to left, and ends it.
const OVERRIDE: (char, char) = ('\u{202e}', '\u{202c}');

/// How many characters the pseudo-translation of a text would have without a limit.
#[must_use]
pub fn pseudo_length(source: &Inline, into: &LanguageTag) -> usize {
    pseudo(source, into, None).plain().chars().filter(|c| *c != OVERRIDE.0 && *c != OVERRIDE.1).count()
}

/// The pseudo-translation of a text: its letters with accents, in brackets by which a text that was
/// cut or glued together shows, and a third longer as far as `limit` allows; in a language that is written
/// from right to left so, in Chinese, Japanese and Korean in wide letters and no longer. Tags stay.
#[must_use]
pub fn pseudo(source: &Inline, into: &LanguageTag, limit: Option<usize>) -> Inline {
    let style = Style::of(into);
    let length: usize = source.plain().chars().count();
    let kept: usize = limit.map_or(usize::MAX, |limit| limit.saturating_sub(length));
    let more = if style == Style::Wide { 2 } else { length.div_ceil(3).max(2) };
    let mut room = more.min(kept);
    // What the limit leaves besides is for marks that are not seen.
    let mut unseen = kept - room;
    let brackets = room >= 2;
    if brackets {
        room -= 2;
    }
    let mut changed = Inline::default();
    if brackets {
        changed.push_text("⟦");
    }
    for piece in source.pieces() {
        match piece {
            Piece::Text(text) => {
                let mut accented = String::with_capacity(text.len() * 2);
                if style == Style::Wide {
                    changed.push_text(&text.chars().map(wide).collect::<String>());
                    continue;
                }
                for c in text.chars() {
                    accented.push(accent(c));
                    if room > 0 && matches!(c, 'a' | 'e' | 'i' | 'o' | 'u') {
                        accented.push(accent(c));
                        room -= 1;
                    }
                }
                if style == Style::RightToLeft && !accented.trim().is_empty() && unseen >= 2 {
                    unseen -= 2;
                    accented = format!("{}{accented}{}", OVERRIDE.0, OVERRIDE.1);
                }
                changed.push_text(&accented);
            }
            tag => changed.push(tag.clone()),
        }
    }
    changed.push_text(&"~".repeat(room));
    if brackets {
        changed.push_text("⟧");
    }
    changed
}

/// Whether a text is in the brackets of a pseudo-translation, also where its file says nothing of it any
/// more.
#[must_use]
pub fn is_pseudo(text: &Inline) -> bool {
    let text = text.plain();
    let text = text.trim();
    text.starts_with('⟦') && text.ends_with('⟧')
}

/// The wide form of a letter (Unicode block "Halfwidth and Fullwidth Forms").
fn wide(c: char) -> char {
    let code = u32::from(c);
    if c.is_ascii_alphabetic() { char::from_u32(code + 0xfee0).unwrap_or(c) } else { c }
}

fn accent(c: char) -> char {
    const PLAIN: &str = "aAcCdDeEgGhHiIjJkKlLnNoOrRsStTuUwWyYzZ";
    const ACCENTED: &str = "áÁçÇďĎéÉĝĜĥĤíÍĵĴķĶļĻñÑóÓŕŔšŠţŢúÚŵŴýÝžŽ";
    PLAIN.chars().position(|plain| plain == c).and_then(|at| ACCENTED.chars().nth(at)).unwrap_or(c)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::translate::inline::tests::any_inline;
    use proptest::prelude::*;

    #[test]
    fn longer_accented_and_within_limits() {
        let into = |language: &str| language.parse::<LanguageTag>().unwrap();
        let of = |coded: &str, limit| pseudo(&Inline::from_coded(coded), &into("fr"), limit).coded();
        let in_other = |language: &str| pseudo(&Inline::from_coded("A <1>fern</1>"), &into(language), None).coded();
        assert_eq!(in_other("ja"), "⟦Ａ <1>ｆｅｒｎ</1>⟧");
        assert!(in_other("he").contains("<1>\u{202e}fé"), "{}", in_other("he"));
        assert!(in_other("ar").contains('\u{202e}') && !in_other("cy").contains('\u{202e}'));
        assert_eq!(pseudo_length(&Inline::text("Royal fern"), &into("fr")), 14);
        assert_eq!(of("The <1>royal</1> fern, 3 m", None), "⟦Ţĥéé <1>ŕóóýááļ</1> fééŕñ, 3 m~⟧");
        assert_eq!(of("Fern", Some(5)), "Fééŕñ");
        assert_eq!(of("Fern", Some(4)), "Féŕñ");
        assert!(is_pseudo(&Inline::from_coded("⟦<1>Ţĥéé</1>~⟧")) && !is_pseudo(&Inline::text("Les ⟦fougères⟧ et")));
    }

    proptest! {
        #[test]
        fn tags_stay_and_limits_hold(source in any_inline(), more in 0usize..40) {
            let tags = |inline: &Inline| inline.pieces().iter().filter(|piece| piece.as_text().is_none()).cloned().collect::<Vec<_>>();
            let length = source.plain().chars().count();
            let into = ["fr", "he", "ja"][more % 3].parse().unwrap();
            let made = pseudo(&source, &into, Some(length + more));
            prop_assert_eq!(tags(&made), tags(&source));
            prop_assert!(made.plain().chars().count() <= length + more);
        }
    }
}
