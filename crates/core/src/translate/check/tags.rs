//! Every tag of the source once, opened, closed and nested as tags can be.

use super::{Check, Defect};
use crate::translate::shape::NUMBER;
use crate::translate::{Inline, Piece, Tag, TagKind};

pub(super) fn check(source: &Inline, tags: &[Tag], target: &Inline) -> Vec<Defect> {
    let mut defects = Vec::new();
    let mut wrong = |check: Check, message: String| defects.push(Defect { check, message });
    let mut seen = vec![(0_u32, 0_u32, 0_u32); tags.len()];
    let mut open: Vec<u32> = Vec::new();
    for piece in target.pieces() {
        let (number, place) = match piece {
            Piece::Text(_) => continue,
            Piece::Open(number) | Piece::Close(number) | Piece::Alone(number) => (*number, *number as usize),
        };
        let Some((opened, closed, alone)) = place.checked_sub(1).and_then(|place| seen.get_mut(place)) else {
            wrong(Check::Tags, format!("tag {number} is not in the source"));
            continue;
        };
        match piece {
            Piece::Open(_) => {
                *opened += 1;
                open.push(number);
            }
            Piece::Close(_) => {
                *closed += 1;
                match open.iter().rposition(|known| *known == number) {
                    None => wrong(Check::Tags, format!("tag {number} is closed before it is opened")),
                    Some(at) => {
                        if let Some(inner) = open.get(at + 1) {
                            wrong(Check::Tags, format!("tags {number} and {inner} overlap"));
                        }
                        open.remove(at);
                    }
                }
            }
            _ => *alone += 1,
        }
    }
    for ((tag, number), (opened, closed, alone)) in tags.iter().zip(1_u32..).zip(seen) {
        let what = match &tag.shown {
            Some(shown) => format!("`{shown}`"),
            None => format!("tag {number} ({})", tag.name),
        };
        let check = if tag.name == "keep" { Check::Kept } else { Check::Tags };
        match (tag.kind, opened, closed, alone) {
            (TagKind::Pair, 1, 1, 0) if stands_around(source, number) && !stands_around(target, number) => {
                wrong(check, format!("{what} has lost what it stands around"));
            }
            (TagKind::Pair, 1, 1, 0) | (TagKind::Alone, 0, 0, 1) => {}
            (_, 0, 0, 0) if tag.name == NUMBER => {}
            (_, 0, 0, 0) => wrong(check, format!("{what} is missing")),
            (TagKind::Pair, _, _, 1..) => wrong(check, format!("{what} has lost what it stands around")),
            (TagKind::Pair, 1.., 0, _) => wrong(check, format!("{what} is not closed")),
            // That it is closed before it is opened was said.
            (TagKind::Pair, 0, _, _) => {}
            (TagKind::Alone, 1.., _, _) | (TagKind::Alone, _, 1.., _) => {
                wrong(check, format!("{what} stands around text, which it cannot"));
            }
            _ => wrong(check, format!("{what} stands there more than once")),
        }
    }
    defects
}

/// Whether there is anything to read or to see in a pair.
fn stands_around(text: &Inline, number: u32) -> bool {
    let mut inside = text.pieces().iter().skip_while(|piece| **piece != Piece::Open(number)).skip(1);
    let mut inside = inside.by_ref().take_while(|piece| **piece != Piece::Close(number));
    inside.any(|piece| match piece {
        Piece::Text(text) => !text.trim().is_empty(),
        Piece::Alone(_) => true,
        Piece::Open(_) | Piece::Close(_) => false,
    })
}
