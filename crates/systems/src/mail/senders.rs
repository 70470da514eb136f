//! Senders whose messages are taken in. What a message says of its sender is its own word, which anybody can forge.

/// Senders: addresses, or all of a host, `*@ostrel.example`; any where empty.
#[derive(Debug, Clone, Default)]
pub(super) struct Senders(Vec<String>);

impl Senders {
    pub(super) fn new(texts: impl IntoIterator<Item = String>) -> Senders {
        Senders(texts.into_iter().map(|text| text.trim().to_ascii_lowercase()).collect())
    }

    /// Whether a sender is among them.
    pub(super) fn allow(&self, address: Option<&str>) -> bool {
        if self.0.is_empty() {
            return true;
        }
        let Some(address) = address.map(str::to_ascii_lowercase) else { return false };
        self.0.iter().any(|allowed| match allowed.strip_prefix('*') {
            Some(host) => host.starts_with('@') && address.ends_with(host),
            None => *allowed == address,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whose_messages_are_taken_in() {
        let senders = Senders::new(["mair@gardens.example", "*@Ostrel.example"].map(str::to_owned));
        for (address, expected) in [
            (Some("Mair@gardens.example"), true),
            (Some("anybody@ostrel.example"), true),
            (Some("anybody@not-ostrel.example"), false),
            (Some("mair@gardens.example.evil"), false),
            (None, false),
        ] {
            assert_eq!(senders.allow(address), expected, "{address:?}");
        }
        assert!(Senders::default().allow(None));
    }
}
