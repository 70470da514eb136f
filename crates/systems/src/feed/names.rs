//! Whose an element is: namespaces by their addresses, and by their usual prefixes where a document
//! forgets to say.

/// Whose an element is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) enum Space {
    /// RSS of any version, and what is in no namespace.
    Rss,
    /// Atom 1.0 (RFC 4287) and 0.3.
    Atom,
    /// Atom publishing (RFC 5023).
    App,
    /// Threads (RFC 4685).
    Thread,
    /// RSS 1.0 content.
    Content,
    /// Dublin Core's elements.
    Dc,
    /// Dublin Core's terms.
    Terms,
    /// Media RSS.
    Media,
    /// Podcasts, as the largest directory has them.
    Itunes,
    /// Podcasts, as the podcast index has them.
    Podcast,
    /// Podcasts, as another directory had them.
    Play,
    /// GeoRSS.
    GeoRss,
    /// W3C basic geo.
    Geo,
    /// Geography Markup Language.
    Gml,
    /// RSS 1.0 slash.
    Slash,
    /// PRISM, publishers' metadata.
    Prism,
    /// XHTML.
    Xhtml,
    /// RDF.
    Rdf,
    /// `xml:` itself.
    Xml,
    /// Any other.
    Other,
}

/// Namespaces: how an address ends or what it is, the usual prefix, whose it is.
///
/// Addresses are compared without scheme, case, and what stands at the end, for documents differ in these.
const SPACES: &[(&str, &str, Space)] = &[
    ("www.w3.org/2005/atom", "atom", Space::Atom),
    ("purl.org/atom/ns", "atom", Space::Atom),
    ("www.w3.org/2007/app", "app", Space::App),
    ("purl.org/atom/app", "app", Space::App),
    ("purl.org/syndication/thread/1.0", "thr", Space::Thread),
    ("purl.org/rss/1.0/modules/content", "content", Space::Content),
    ("purl.org/dc/elements/1.1", "dc", Space::Dc),
    ("purl.org/dc/elements/1.0", "dc", Space::Dc),
    ("purl.org/dc/terms", "dcterms", Space::Terms),
    ("search.yahoo.com/mrss", "media", Space::Media),
    ("www.itunes.com/dtds/podcast-1.0.dtd", "itunes", Space::Itunes),
    ("podcastindex.org/namespace/1.0", "podcast", Space::Podcast),
    ("github.com/podcastindex-org/podcast-namespace/blob/main/docs/1.0.md", "podcast", Space::Podcast),
    ("www.google.com/schemas/play-podcasts/1.0", "googleplay", Space::Play),
    ("www.georss.org/georss", "georss", Space::GeoRss),
    ("www.georss.org/georss/10", "georss", Space::GeoRss),
    ("www.w3.org/2003/01/geo/wgs84_pos", "geo", Space::Geo),
    ("www.opengis.net/gml", "gml", Space::Gml),
    ("purl.org/rss/1.0/modules/slash", "slash", Space::Slash),
    ("prismstandard.org/namespaces/basic/2.0", "prism", Space::Prism),
    ("prismstandard.org/namespaces/1.2/basic", "prism", Space::Prism),
    ("www.w3.org/1999/xhtml", "xhtml", Space::Xhtml),
    ("www.w3.org/1999/02/22-rdf-syntax-ns", "rdf", Space::Rdf),
    ("www.w3.org/xml/1998/namespace", "xml", Space::Xml),
    ("", "rss", Space::Rss),
    ("purl.org/rss/1.0", "rss", Space::Rss),
    ("purl.org/net/rss1.1", "rss", Space::Rss),
    ("channel.netscape.com/rdf/simple/0.9", "rss", Space::Rss),
    ("my.netscape.com/rdf/simple/0.9", "rss", Space::Rss),
    ("my.netscape.com/publish/formats/rss-0.91.dtd", "rss", Space::Rss),
    ("backend.userland.com/rss", "rss", Space::Rss),
    ("backend.userland.com/rss2", "rss", Space::Rss),
    ("blogs.law.harvard.edu/tech/rss", "rss", Space::Rss),
    ("cyber.law.harvard.edu/rss/rss.html", "rss", Space::Rss),
    ("www.rssboard.org/rss-specification", "rss", Space::Rss),
];

impl Space {
    /// Whose a namespace is, by its address.
    pub(super) fn of_address(address: &str) -> Space {
        let address = address.trim().to_ascii_lowercase();
        let bare = address.split_once("://").map_or(address.as_str(), |(_, rest)| rest);
        let bare = bare.trim_end_matches(['/', '#']);
        let known = SPACES.iter().find(|(known, ..)| *known == bare);
        known.map_or(Space::Other, |(_, _, space)| *space)
    }

    /// Whose a prefix usually is.
    pub(super) fn of_prefix(prefix: &str) -> Space {
        let known = SPACES.iter().find(|(_, known, _)| known.eq_ignore_ascii_case(prefix));
        known.map_or(Space::Other, |(_, _, space)| *space)
    }

    /// The usual prefix; none of a namespace that is not known.
    pub(super) fn prefix(self) -> Option<&'static str> {
        SPACES.iter().find(|(_, _, space)| *space == self).map(|(_, prefix, _)| *prefix)
    }
}

/// The prefix and the name of a name as written.
pub(super) fn split(name: &str) -> (&str, &str) {
    name.split_once(':').unwrap_or(("", name))
}

/// Whether a name is that of an item, whatever its prefix.
pub(super) fn is_item(name: &str) -> bool {
    let (_, local) = split(name);
    local.eq_ignore_ascii_case("item") || local.eq_ignore_ascii_case("entry")
}

/// Which prefixes are whose, at some place in a document.
#[derive(Debug, Clone, Default)]
pub(super) struct Bindings(Vec<(String, Space)>);

impl Bindings {
    /// How many there are, to go back to.
    pub(super) fn len(&self) -> usize {
        self.0.len()
    }

    /// Goes back to as many as there were.
    pub(super) fn truncate(&mut self, length: usize) {
        self.0.truncate(length);
    }

    /// Takes an attribute for what it declares, if it does.
    pub(super) fn declare(&mut self, attribute: &str, value: &str) -> bool {
        let prefix = match attribute.strip_prefix("xmlns") {
            Some("") => "",
            Some(rest) if rest.starts_with(':') => &rest[1..],
            _ => return false,
        };
        let mut space = Space::of_address(value);
        // An address that nobody knows, under the usual prefix, is a misspelt one.
        if space == Space::Other {
            space = if prefix.is_empty() { Space::Other } else { Space::of_prefix(prefix) };
        }
        self.0.push((prefix.to_owned(), space));
        true
    }

    /// Takes what a feed's own elements are in for RSS, where nobody knows it.
    pub(super) fn adopt(&mut self, prefix: &str) {
        if self.space(prefix) == Space::Other {
            self.0.push((prefix.to_owned(), Space::Rss));
        }
    }

    /// Whether some prefix was declared to be this space's.
    pub(super) fn declares(&self, space: Space) -> bool {
        self.0.iter().any(|(_, known)| *known == space)
    }

    /// Whose an element with this prefix is.
    pub(super) fn space(&self, prefix: &str) -> Space {
        let declared = self.0.iter().rev().find(|(known, _)| known == prefix);
        match declared {
            Some((_, space)) => *space,
            None if prefix.is_empty() => Space::Rss,
            None => Space::of_prefix(prefix),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn namespaces_as_documents_write_them() {
        for (address, space) in [
            ("http://www.w3.org/2005/Atom", Space::Atom),
            ("https://www.w3.org/2005/Atom/", Space::Atom),
            ("http://purl.org/atom/ns#", Space::Atom),
            ("http://search.yahoo.com/mrss/", Space::Media),
            ("http://www.itunes.com/DTDs/Podcast-1.0.dtd", Space::Itunes),
            ("", Space::Rss),
            ("http://garden.example/ns", Space::Other),
        ] {
            assert_eq!(Space::of_address(address), space, "{address}");
        }
        let mut bindings = Bindings::default();
        assert_eq!(
            (bindings.space(""), bindings.space("dc"), bindings.space("x")),
            (Space::Rss, Space::Dc, Space::Other)
        );
        assert!(bindings.declare("xmlns:dc", "http://search.yahoo.com/mrss/") && !bindings.declare("xml:lang", "en"));
        assert!(bindings.declare("xmlns:media", "http://nowhere.example/"));
        assert_eq!((bindings.space("dc"), bindings.space("media")), (Space::Media, Space::Media));
        bindings.truncate(0);
        assert_eq!(bindings.space("dc"), Space::Dc);
    }
}
