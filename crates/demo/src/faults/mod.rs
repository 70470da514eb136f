//! What goes wrong out there: faults for single requests, and whole systems that misbehave in the ways
//! that real ones were seen to.

mod listing;
mod pages;
mod rule;

pub use listing::{Annexe, PastTheEnd, Says};
pub use pages::{Noticeboard, Whim};
pub use rule::{Asked, Fault, Rule};

pub(crate) use listing::routes as annexe_routes;
pub(crate) use pages::routes as noticeboard_routes;
pub(crate) use rule::fault_for;
