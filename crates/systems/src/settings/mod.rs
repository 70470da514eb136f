//! The settings that kinds of systems share: places, credentials, limits, the network, profiles, language
//! codes. Secrets are named here, and looked up elsewhere.

mod credential;
pub(crate) mod forms;
mod limits;
mod network;
pub mod path;
mod profile_file;
mod quiet;
mod reference;
mod times;

use diaporos_core::settings;
use diaporos_core::settings::{Form, Setting, TextForm};

pub use credential::secret;
pub(crate) use credential::{BASIC, CREDENTIAL, OAUTH, basic, credential, oauth};
pub use credential::{CredentialReference, Credentials, credentials_end};
pub use forms::{PLACE, SECRET};
pub use limits::{duration, limits, usual_limits};
pub use network::{NetworkConfig, network};
pub(crate) use network::{REACHED, reached};
pub use profile_file::HubFiles;
pub(crate) use profile_file::{DESCRIBED, languages, profile, queries};
pub use quiet::{Quiet, quiet};
pub use reference::{PartText, PlaceText, place, place_of};
pub use times::{TIMES, times};

/// The word that says of which kind a system is.
const KIND: &[Setting] = settings![
    kind: Form::Text(&TextForm { name: "a kind of system", pattern: None }), required, "the kind of the system", "rest";
    credentials_end: credential::DATE, none, "the day (UTC) at which its credentials end, where they do: a person is told before; what a token says itself (JWT, RFC 7519) counts too", "2027-03-31";
    quiet: quiet::SILENCE, usual "learned", "after how long without anything new a person is told: `learned` goes by its own rhythm, once that is known; of a source alone", "6h";
];

/// What is said of a system of any kind; its kind adds settings of its own.
pub const OF_ALL: [&[Setting]; 5] = [KIND, TIMES, limits::LIMITS, network::NETWORK, network::REACHED];
