//! HTML, Markdown, plain text, slugs, phrases, house style, moments, XML.

mod budget;
mod case;
pub mod house;
mod html;
pub mod keywords;
mod markdown;
pub mod moment;
mod shell;
mod shorten;
mod slug;
pub mod xml;

pub use budget::{TooMuch, affordable_html, affordable_markdown};
pub use case::{capitalise, title_case};
pub use html::{clean, could_act, plain};
pub use markdown::{html_from_markdown, markdown_from_html};
pub use shell::{shell_quoted, shell_word};
pub use shorten::{Cut, shorten};
pub use slug::{short_slug, slug};
