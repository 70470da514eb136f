//! Markdown to HTML and back.

use pulldown_cmark::{Options, Parser, html};

use super::budget::{TooMuch, affordable_html, affordable_markdown};
use super::clean;

/// HTML of Markdown (CommonMark with tables and strikethrough), cleaned as any HTML is.
///
/// # Errors
/// Where it would take too much to read.
pub fn html_from_markdown(markdown: &str) -> Result<String, TooMuch> {
    affordable_markdown(markdown)?;
    let parser = Parser::new_ext(markdown, Options::ENABLE_TABLES | Options::ENABLE_STRIKETHROUGH);
    let mut page = String::new();
    html::push_html(&mut page, parser);
    clean(page.trim_end())
}

/// Markdown of HTML, as near as Markdown can come.
///
/// # Errors
/// Says why the HTML could not be read.
pub fn markdown_from_html(page: &str) -> Result<String, String> {
    affordable_html(page).map_err(|error| error.to_string())?;
    let converter = htmd::HtmlToMarkdown::builder().skip_tags(vec!["script", "style", "template"]).build();
    converter.convert(page).map_err(|error| format!("the HTML cannot be read: {error}"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn there_and_back() {
        let markdown = "# Ferns\n\nA *rare* [one](https://ostrel.example/fern):\n\n1. Royal\n2. Hart's-tongue";
        let page = html_from_markdown(markdown).unwrap();
        assert!(page.contains("<h1>Ferns</h1>") && page.contains("<em>rare</em>"), "{page}");
        assert_eq!(markdown_from_html(&page).map(|text| html_from_markdown(&text).unwrap()), Ok(page));
        assert_eq!(html_from_markdown("a <script>x()</script> b").unwrap(), "<p>a  b</p>");
    }
}
