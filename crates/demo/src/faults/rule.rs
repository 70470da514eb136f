//! What a stand-in can be told to do wrong.

use serde::{Deserialize, Serialize};

/// Something to do wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum Fault {
    /// Answer with this status, doing nothing.
    Status {
        /// The status.
        status: u16,
    },
    /// Answer 429 and ask to come back after so many seconds.
    Throttle {
        /// How many.
        seconds: u64,
    },
    /// Wait before doing anything.
    Stall {
        /// How long, in milliseconds.
        millis: u64,
    },
    /// Do what is asked, and wait before answering.
    StallAfter {
        /// How long, in milliseconds.
        millis: u64,
    },
    /// Do what is asked, and drop the connection without an answer.
    LoseAnswer,
    /// Drop the connection without doing anything.
    LoseRequest,
    /// Answer with the first half of the body, as if it were all.
    HalfBody,
    /// Answer with the first half of the body and drop the connection.
    CutBody,
    /// Answer 200 with a page of HTML.
    Html,
    /// Answer 200 with 50 MB.
    Huge,
    /// Redirect to the same address.
    RedirectLoop,
    /// Answer 200 with an empty body.
    Empty,
}

/// A fault, and for which requests.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Rule {
    /// What to do wrong.
    pub fault: Fault,
    /// Only for this method.
    #[serde(default)]
    pub method: Option<String>,
    /// Only where the path holds this.
    #[serde(default)]
    pub path: Option<String>,
    /// Only after so many such requests went well.
    #[serde(default)]
    pub after: u32,
    /// For so many requests; for all from then on where none is given.
    #[serde(default)]
    pub times: Option<u32>,
    /// Only for about one request in so many, spread unevenly and always the same way.
    #[serde(default)]
    pub one_in: Option<u32>,
    /// How many requests it was held against.
    #[serde(skip)]
    pub seen: u32,
}

impl Rule {
    /// A fault for about one request in so many.
    #[must_use]
    pub fn now_and_then(fault: Fault, one_in: u32) -> Rule {
        Rule { one_in: Some(one_in), ..Rule::always(fault) }
    }

    /// Whether it is this request's turn.
    fn is_its_turn(&mut self) -> bool {
        let Some(one_in) = self.one_in else { return true };
        self.seen = self.seen.wrapping_add(1);
        // Spreads neighbouring numbers over the whole range (a multiplicative hash).
        let spread = self.seen.wrapping_mul(2_654_435_769).rotate_right(15).wrapping_mul(2_246_822_519);
        (spread >> 8).is_multiple_of(one_in.max(1))
    }

    /// A fault for the next request of a method.
    #[must_use]
    pub fn once(fault: Fault, method: &str) -> Rule {
        Rule { fault, method: Some(method.to_owned()), path: None, after: 0, times: Some(1), one_in: None, seen: 0 }
    }

    /// A fault for every request from now on.
    #[must_use]
    pub fn always(fault: Fault) -> Rule {
        Rule { fault, method: None, path: None, after: 0, times: None, one_in: None, seen: 0 }
    }

    fn meets(&self, method: &str, path: &str) -> bool {
        self.method.as_deref().is_none_or(|wanted| wanted == method)
            && self.path.as_deref().is_none_or(|part| path.contains(part))
    }
}

/// The fault for a request, where a rule meets it; rules are used up by it.
pub(crate) fn fault_for(rules: &mut Vec<Rule>, method: &str, path: &str) -> Option<Fault> {
    let place = rules.iter_mut().position(|rule| rule.meets(method, path) && rule.is_its_turn())?;
    let rule = rules.get_mut(place)?;
    if rule.after > 0 {
        rule.after -= 1;
        return None;
    }
    let fault = rule.fault;
    match &mut rule.times {
        Some(0..=1) => drop(rules.remove(place)),
        Some(times) => *times -= 1,
        None => {}
    }
    Some(fault)
}

/// A request that a stand-in got.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Asked {
    /// The method.
    pub method: String,
    /// Path and query.
    pub path: String,
    /// Whether it carried a credential in a header or in its query; which is not kept.
    pub carried_secret: bool,
    /// The status it was answered with; none where the answer was withheld.
    pub status: Option<u16>,
}

impl Asked {
    /// Whether it asked for a change of content; a lock is none.
    #[must_use]
    pub fn writes(&self) -> bool {
        self.method != "GET" && !self.path.ends_with("/lock")
    }
}
