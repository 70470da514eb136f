//! The store's statements in a server's words.

use std::sync::LazyLock;

use regex::Regex;

/// What is said otherwise: the place of a value, and the advice which index leads, which a server takes from nobody.
static WORDS: LazyLock<Vec<(Regex, &str)>> = LazyLock::new(|| {
    let words = [(r"\?(\d+)", "$$$1"), (r"\bNOT INDEXED\b|\bINDEXED BY \w+", ""), (r"\bCROSS JOIN\b", "JOIN")];
    words.into_iter().filter_map(|(ours, theirs)| Some((Regex::new(ours).ok()?, theirs))).collect()
});

/// A statement as a server takes it.
pub(super) fn translated(sql: &str) -> String {
    WORDS.iter().fold(sql.to_owned(), |sql, (ours, theirs)| ours.replace_all(&sql, *theirs).into_owned())
}

/// Whether a statement only reads.
pub(super) fn only_reads(sql: &str) -> bool {
    let start = sql.trim_start();
    start.starts_with("SELECT") || start.starts_with("WITH")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_statement_is_said_in_a_servers_words() {
        let ours = "SELECT a FROM b INDEXED BY c CROSS JOIN d ON d.e = b.e WHERE f = ?1 AND g > ?12";
        assert_eq!(translated(ours), "SELECT a FROM b  JOIN d ON d.e = b.e WHERE f = $1 AND g > $12");
        assert!(only_reads(ours) && !only_reads("UPDATE a SET b = 1 RETURNING c"));
    }
}
