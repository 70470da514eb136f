//! Pseudo-translation: text that can be read and told from the source, a third longer, for trying a
//! page before a word is paid for.

use super::{Inline, Piece};

/// The pseudo-translation of a text: its letters with accents, in brackets by which a text that was
/// cut or glued together shows, and a third longer as far as `limit` allows. Tags stay.
#[must_use]
pub fn pseudo(source: &Inline, limit: Option<usize>) -> Inline {
    let length: usize = source.plain().chars().count();
    let kept: usize = limit.map_or(usize::MAX, |limit| limit.saturating_sub(length));
    let mut room = (length.div_ceil(3)).max(2).min(kept);
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
                for c in text.chars() {
                    accented.push(accent(c));
                    if room > 0 && matches!(c, 'a' | 'e' | 'i' | 'o' | 'u') {
                        accented.push(accent(c));
                        room -= 1;
                    }
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
        let of = |coded: &str, limit| pseudo(&Inline::from_coded(coded), limit).coded();
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
            let made = pseudo(&source, Some(length + more));
            prop_assert_eq!(tags(&made), tags(&source));
            prop_assert!(made.plain().chars().count() <= length + more);
        }
    }
}
