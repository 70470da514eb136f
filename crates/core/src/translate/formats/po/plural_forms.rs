//! `Plural-Forms` of a PO file (gettext manual, "Plural forms"): written from CLDR's rules, and read as tools
//! have left it.

use std::ops::RangeInclusive;

use crate::translate::plural::{Counting, PluralForm, Plurals};
use crate::value::LanguageTag;

/// Numbers that show which form goes with which: every rule of CLDR depends on the last two digits, on
/// small numbers, or on millions.
const SHOWING: RangeInclusive<u64> = 0..=1_199;
const MILLION: u64 = 1_000_000;
/// Parentheses and choices within each other; those of Arabic have six.
const DEEPEST: usize = 60;
/// The most characters of a formula; those of all languages are shorter.
const LONGEST: usize = 2_000;

/// The forms that a PO file has for a language: those that go with whole numbers.
pub(super) fn whole_forms(language: &LanguageTag) -> Vec<PluralForm> {
    let plurals = Plurals::of(language, Counting::Cardinal);
    plurals.forms().into_iter().filter(|form| !plurals.examples(*form, 1).is_empty()).collect()
}

/// The heading's field for a language; none where its rules are none that last digits tell.
pub(super) fn header(language: &LanguageTag) -> Option<String> {
    let plurals = Plurals::of(language, Counting::Cardinal);
    let forms = whole_forms(language);
    let place = |number: u64| forms.iter().position(|form| *form == plurals.form(number)).unwrap_or_default();
    let by_end: Vec<usize> = (200..300).map(place).collect();
    let mut clauses = Vec::new();
    let exact = |form: usize| -> Vec<u64> {
        (0..200).filter(|number| place(*number) == form && by_end.get((number % 100) as usize) != Some(&form)).collect()
    };
    for form in 0..forms.len() {
        let own = exact(form);
        if !own.is_empty() {
            clauses.push(format!("{} ? {form}", among("n", &own)));
        }
    }
    let of_millions = place(MILLION);
    if by_end.first() != Some(&of_millions) {
        clauses.push(format!("n!=0 && n%{MILLION}==0 ? {of_millions}"));
    }
    let last = *by_end.iter().max_by_key(|form| by_end.iter().filter(|other| other == form).count())?;
    for form in (0..forms.len()).filter(|form| *form != last) {
        let own: Vec<u64> = (0..100).filter(|end| by_end.get(*end as usize) == Some(&form)).collect();
        if !own.is_empty() {
            clauses.push(format!("{} ? {form}", by_last_digits(&own)));
        }
    }
    let formula = clauses.into_iter().chain([last.to_string()]).collect::<Vec<_>>().join(" : ");
    let written = format!("nplurals={}; plural=({formula});", forms.len());
    let read = Formula::read(&written)?;
    let is_right = |number: u64| read.index(number) == Some(place(number) as u64);
    SHOWING.chain([2_000, 10_000, 12_000, 100_000, MILLION, MILLION + 1]).all(is_right).then_some(written)
}

/// `(n==1 || n==3)`, by ranges.
fn among(what: &str, numbers: &[u64]) -> String {
    let mut ranges: Vec<(u64, u64)> = Vec::new();
    for number in numbers {
        match ranges.last_mut() {
            Some((_, end)) if *end + 1 == *number => *end = *number,
            _ => ranges.push((*number, *number)),
        }
    }
    let clauses: Vec<String> = ranges
        .iter()
        .map(|(start, end)| match end - start {
            0 => format!("{what}=={start}"),
            1 => format!("{what}=={start} || {what}=={end}"),
            _ => format!("({what}>={start} && {what}<={end})"),
        })
        .collect();
    format!("({})", clauses.join(" || "))
}

/// A condition on the last digit and exceptions by the last two, or on the last two alone.
fn by_last_digits(ends: &[u64]) -> String {
    let digits: Vec<u64> = (0..10).filter(|digit| ends.iter().filter(|end| *end % 10 == *digit).count() > 5).collect();
    let but: Vec<u64> = (0..100).filter(|end| digits.contains(&(end % 10)) && !ends.contains(end)).collect();
    let covered = (0..100).filter(|end| digits.contains(&(end % 10)) && !but.contains(end)).count();
    match (covered == ends.len(), but.is_empty()) {
        (true, true) => among("n%10", &digits),
        (true, false) => format!("({} && !{})", among("n%10", &digits), among("n%100", &but)),
        (false, _) => among("n%100", ends),
    }
}

/// Which text goes with which form, by the field of a file's heading.
///
/// # Errors
/// Says why the texts cannot be told apart.
pub(super) fn places(field: Option<&str>, language: &LanguageTag) -> Result<Vec<usize>, &'static str> {
    let formula = field.ok_or("its heading has no `Plural-Forms`")?;
    let formula = Formula::read(formula).ok_or("the `Plural-Forms` of its heading cannot be read")?;
    let plurals = Plurals::of(language, Counting::Cardinal);
    let forms = whole_forms(language);
    let other = "the `Plural-Forms` of its heading are not those of the language";
    let mut places = Vec::new();
    for form in &forms {
        let mut indices = SHOWING.filter(|number| plurals.form(*number) == *form).map(|number| formula.index(number));
        // A form of millions alone has no small number; tools leave it out.
        let index = match indices.next() {
            Some(first) => indices.all(|index| index == first).then_some(first).flatten(),
            None => formula.index(MILLION),
        };
        let index = index.and_then(|index| usize::try_from(index).ok()).ok_or(other)?;
        if places.contains(&index) {
            return Err(other);
        }
        places.push(index);
    }
    Ok(places)
}

/// The formula of a heading: an expression of C in `n`.
struct Formula {
    forms: u64,
    expression: Expression,
}

enum Expression {
    Number(u64),
    N,
    Not(Box<Expression>),
    Two(Box<Expression>, &'static str, Box<Expression>),
    If(Box<(Expression, Expression, Expression)>),
}

impl Formula {
    fn read(field: &str) -> Option<Formula> {
        let mut forms = None;
        let mut plural = None;
        for part in field.get(..field.len().min(LONGEST))?.split(';') {
            match part.split_once('=').map(|(name, value)| (name.trim(), value)) {
                Some(("nplurals", value)) => forms = value.trim().parse().ok(),
                Some(("plural", value)) => plural = Some(value.to_owned()),
                _ => {}
            }
        }
        let text: Vec<u8> = plural?.bytes().filter(|byte| !byte.is_ascii_whitespace()).collect();
        let mut reader = Reader { text: &text, at: 0, depth: 0 };
        let expression = reader.choice()?;
        (reader.at == text.len()).then_some(Formula { forms: forms?, expression })
    }

    fn index(&self, number: u64) -> Option<u64> {
        self.expression.value(number).filter(|index| *index < self.forms)
    }
}

impl Expression {
    fn value(&self, n: u64) -> Option<u64> {
        Some(match self {
            Expression::Number(number) => *number,
            Expression::N => n,
            Expression::Not(inner) => u64::from(inner.value(n)? == 0),
            Expression::If(parts) => {
                let (condition, then, otherwise) = &**parts;
                if condition.value(n)? != 0 { then.value(n)? } else { otherwise.value(n)? }
            }
            Expression::Two(left, sign, right) => {
                let (left, right) = (left.value(n)?, right.value(n)?);
                match *sign {
                    "||" => u64::from(left != 0 || right != 0),
                    "&&" => u64::from(left != 0 && right != 0),
                    "==" => u64::from(left == right),
                    "!=" => u64::from(left != right),
                    "<=" => u64::from(left <= right),
                    ">=" => u64::from(left >= right),
                    "<" => u64::from(left < right),
                    ">" => u64::from(left > right),
                    "+" => left.checked_add(right)?,
                    "-" => left.checked_sub(right)?,
                    "*" => left.checked_mul(right)?,
                    "/" => left.checked_div(right)?,
                    _ => left.checked_rem(right)?,
                }
            }
        })
    }
}

/// Signs by how tight they bind, the loosest first; of one level, those that begin alike longest first.
const SIGNS: [&[&str]; 6] = [&["||"], &["&&"], &["==", "!="], &["<=", ">=", "<", ">"], &["+", "-"], &["*", "/", "%"]];

struct Reader<'a> {
    text: &'a [u8],
    at: usize,
    depth: usize,
}

impl Reader<'_> {
    fn takes(&mut self, sign: &str) -> bool {
        let there = self.text.get(self.at..).is_some_and(|rest| rest.starts_with(sign.as_bytes()));
        self.at += if there { sign.len() } else { 0 };
        there
    }

    fn choice(&mut self) -> Option<Expression> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return None;
        }
        let condition = self.level(0)?;
        let read = if self.takes("?") {
            let then = self.choice()?;
            let otherwise = if self.takes(":") { self.choice()? } else { return None };
            Expression::If(Box::new((condition, then, otherwise)))
        } else {
            condition
        };
        self.depth -= 1;
        Some(read)
    }

    fn level(&mut self, level: usize) -> Option<Expression> {
        let Some(signs) = SIGNS.get(level) else { return self.single() };
        let mut left = self.level(level + 1)?;
        while let Some(sign) = signs.iter().find(|sign| self.takes(sign)) {
            left = Expression::Two(Box::new(left), sign, Box::new(self.level(level + 1)?));
        }
        Some(left)
    }

    fn single(&mut self) -> Option<Expression> {
        if self.takes("(") {
            let inner = self.choice()?;
            return self.takes(")").then_some(inner);
        }
        if self.takes("!") {
            self.depth += 1;
            let inner = if self.depth > DEEPEST { None } else { self.single() };
            return inner.map(|inner| Expression::Not(Box::new(inner)));
        }
        if self.takes("n") {
            return Some(Expression::N);
        }
        let digits = self.text.get(self.at..)?.iter().take_while(|byte| byte.is_ascii_digit()).count();
        let number = std::str::from_utf8(self.text.get(self.at..self.at + digits)?).ok()?.parse().ok()?;
        self.at += digits;
        Some(Expression::Number(number))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tag(text: &str) -> LanguageTag {
        text.parse().unwrap()
    }

    #[test]
    fn headings_say_what_cldr_says() {
        for (language, expected) in [
            ("en", "nplurals=2; plural=((n==1) ? 0 : 1);"),
            ("ja", "nplurals=1; plural=(0);"),
            ("pl", "nplurals=3; plural=((n==1) ? 0 : ((n%10>=2 && n%10<=4) && !(n%100>=12 && n%100<=14)) ? 1 : 2);"),
            ("fr", "nplurals=3; plural=((n==0 || n==1) ? 0 : n!=0 && n%1000000==0 ? 1 : 2);"),
        ] {
            let written = header(&tag(language)).unwrap();
            let plain = |text: &str| text.replace(['(', ')'], "");
            assert_eq!(plain(&written), plain(expected), "{language}");
        }
        // Of every language that writes its whole numbers by their ends.
        for language in "ar be bg br bs ca cs cy da de el es et eu fa fi ga gd gl he hi hr hu hy is it ka kk ko lt lv mk ml mr ms mt my nb ne nl pa pt ro ru sk sl sq sr sv sw ta te th tr uk ur uz vi zh zu".split(' ') {
            let written = header(&tag(language));
            assert!(written.is_some(), "{language}");
            let forms = whole_forms(&tag(language)).len();
            assert_eq!(places(written.as_deref(), &tag(language)).unwrap(), (0..forms).collect::<Vec<_>>(), "{language}");
        }
    }

    #[test]
    fn texts_are_told_apart_by_what_the_heading_says() {
        let pl = "nplurals=3; plural=(n==1 ? 0 : n%10>=2 && n%10<=4 && (n%100<10 || n%100>=20) ? 1 : 2);";
        assert_eq!(places(Some(pl), &tag("pl")).unwrap(), [0, 1, 2]);
        let turned = "nplurals=2; plural=n==1;";
        assert_eq!(places(Some(turned), &tag("de")).unwrap(), [1, 0]);
        for (field, language, why) in [
            (None, "pl", "its heading has no `Plural-Forms`"),
            (
                Some("nplurals=2; plural=n != 1;"),
                "pl",
                "the `Plural-Forms` of its heading are not those of the language",
            ),
            (Some("nplurals=2; plural=n ** 1;"), "de", "the `Plural-Forms` of its heading cannot be read"),
            (Some("nplurals=INTEGER; plural=EXPRESSION;"), "de", "the `Plural-Forms` of its heading cannot be read"),
            (Some("nplurals=2; plural=n/0;"), "de", "the `Plural-Forms` of its heading are not those of the language"),
        ] {
            assert_eq!(places(field, &tag(language)), Err(why), "{field:?}");
        }
        let nested = format!("nplurals=2; plural={}n{};", "(".repeat(900), ")".repeat(900));
        assert!(places(Some(&nested), &tag("de")).is_err());
    }
}
