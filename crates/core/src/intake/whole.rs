//! Whether a listing is whole: only if nothing that was said or shown on its way speaks against it.

/// What a page says of the listing that it belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct PageCounts {
    /// Items on the page, readable or not.
    pub items: u64,
    /// How many items the listing has in all, where the page says so.
    pub total: Option<u64>,
    /// How many pages it has, where the page says so.
    pub pages: Option<u64>,
}

/// What the pages of one listing said and showed.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ListingCount {
    /// Pages that showed something.
    pages: u64,
    items: u64,
    /// Items that could not be read and do not say which entries they are.
    unnamed: u64,
    /// Items that could not be read, of entries that are not known yet.
    unstored: u64,
    said: PageCounts,
    /// Pages in a row that showed only what pages before them showed.
    repeated: u32,
    doubts: Vec<String>,
}

/// After so many pages in a row that show nothing new a listing has no more to show. One alone may be
/// a page that items moved onto while we read.
const REPEATED: u32 = 2;

impl ListingCount {
    /// Counts a page. `fresh` says whether it showed anything that no page before it did.
    pub fn page(&mut self, counts: PageCounts, unnamed: u64, fresh: bool) {
        self.pages += u64::from(counts.items > 0);
        self.items += counts.items;
        self.unnamed += unnamed;
        self.said.total = counts.total.or(self.said.total);
        self.said.pages = counts.pages.or(self.said.pages);
        self.repeated = if fresh || counts.items == 0 { 0 } else { self.repeated + 1 };
    }

    /// Counts items that could not be read, of entries that are not known yet.
    pub fn unstored(&mut self, items: u64) {
        self.unstored += items;
    }

    /// Notes what speaks against the listing being whole.
    pub fn doubt(&mut self, doubt: String) {
        if !self.doubts.contains(&doubt) {
            self.doubts.push(doubt);
        }
    }

    /// How many pages showed something.
    #[must_use]
    pub fn pages(&self) -> u64 {
        self.pages
    }

    /// How many items could not be read and do not say which entries they are.
    #[must_use]
    pub fn unnamed(&self) -> u64 {
        self.unnamed
    }

    /// Whether the last pages showed nothing new, so that those after them will not either.
    #[must_use]
    pub fn goes_nowhere(&self) -> bool {
        self.repeated >= REPEATED
    }

    /// Whether as many items were shown as the listing says that it has.
    #[must_use]
    pub fn reaches_total(&self, shown: Shown) -> bool {
        self.said.total.is_some_and(|total| self.shown(shown) >= total)
    }

    /// Whether the listing goes on after a page that says `counts` and leads to another, whatever the page turns out
    /// to show: the next may be asked for before this one is taken in. `total_ends` as a source has it that gives
    /// more than there is.
    #[must_use]
    pub fn goes_on_after(&self, counts: PageCounts, shown: Shown, total_ends: bool) -> bool {
        let most = self.shown(shown) + counts.items;
        let reaches_total = || counts.total.or(self.said.total).is_some_and(|total| most >= total);
        self.repeated + 1 < REPEATED && !(total_ends && reaches_total())
    }

    /// Whether more pages showed something before they began to repeat than the first alone: the
    /// source knows the paging parameter then.
    #[must_use]
    pub fn turned_pages(&self) -> bool {
        self.pages > u64::from(self.repeated) + 1
    }

    fn shown(&self, shown: Shown) -> u64 {
        match shown {
            Shown::Entries(entries) => entries + self.unnamed + self.unstored,
            Shown::Items => self.items,
        }
    }

    /// What speaks against the listing being whole, with what was expected and what was found; nothing
    /// where it is whole.
    #[must_use]
    pub fn speaks_against(&self, shown: Shown) -> Option<String> {
        let mut against = self.doubts.clone();
        let (found, pages) = (self.shown(shown), self.pages);
        if let Some(total) = self.said.total.filter(|total| found < *total) {
            let repeated = self.items.saturating_sub(found);
            let twice = if repeated == 0 { String::new() } else { format!(", {repeated} of them more than once") };
            against.push(format!("the source says that it has {total}, and showed {found}{twice}"));
        }
        if let Some(stated) = self.said.pages.filter(|stated| pages < *stated) {
            against.push(format!("the source says that there are {stated} pages, and showed {pages}"));
        }
        (!against.is_empty()).then(|| against.join("; "))
    }
}

/// What is held against the number of items that a source says it has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shown {
    /// So many different entries.
    Entries(u64),
    /// The items that were counted, where one may hold several entries.
    Items,
}

#[cfg(test)]
mod tests {
    use super::*;

    fn counts(items: u64, total: Option<u64>, pages: Option<u64>) -> PageCounts {
        PageCounts { items, total, pages }
    }

    #[test]
    fn what_speaks_against_a_listing() {
        let against = |pages: &[PageCounts], shown| {
            let mut count = ListingCount::default();
            pages.iter().for_each(|page| count.page(*page, 0, true));
            count.speaks_against(shown).unwrap_or_else(|| "nothing".to_owned())
        };
        let five = counts(5, Some(10), None);
        for (pages, shown, expected) in [
            (vec![five, five], Shown::Entries(10), "nothing"),
            (vec![five, counts(4, Some(9), None)], Shown::Entries(9), "nothing"),
            (vec![five], Shown::Entries(5), "the source says that it has 10, and showed 5"),
            (
                vec![five, five],
                Shown::Entries(8),
                "the source says that it has 10, and showed 8, 2 of them more than once",
            ),
            (vec![five, five], Shown::Items, "nothing"),
            (vec![five, counts(0, None, None)], Shown::Entries(5), "the source says that it has 10, and showed 5"),
            (
                vec![counts(5, None, Some(3)), counts(5, None, Some(3))],
                Shown::Entries(10),
                "the source says that there are 3 pages, and showed 2",
            ),
            // More than it says is no reason to take anything for gone, or not to.
            (vec![five, five, five], Shown::Entries(15), "nothing"),
            (vec![], Shown::Entries(0), "nothing"),
        ] {
            assert_eq!(against(&pages, shown), expected, "{pages:?}");
        }
        let mut count = ListingCount::default();
        count.page(counts(5, Some(5), None), 1, true);
        assert_eq!(count.speaks_against(Shown::Entries(4)), None, "what cannot be read was shown all the same");
        count.doubt("one".to_owned());
        count.doubt("one".to_owned());
        assert_eq!(count.speaks_against(Shown::Entries(4)).as_deref(), Some("one"));
    }

    #[test]
    fn a_page_that_repeats_once_is_no_end() {
        let mut count = ListingCount::default();
        let page = counts(5, None, None);
        for (fresh, nowhere) in
            [(true, false), (true, false), (false, false), (true, false), (false, false), (false, true)]
        {
            count.page(page, 0, fresh);
            assert_eq!(count.goes_nowhere(), nowhere);
        }
        assert!(count.turned_pages());
        let mut ignored = ListingCount::default();
        [true, false, false].iter().for_each(|fresh| ignored.page(page, 0, *fresh));
        assert!(ignored.goes_nowhere() && !ignored.turned_pages());
    }
}
