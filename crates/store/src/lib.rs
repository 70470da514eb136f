//! The hub's store: entries with their versions, where each stands on each lane, counterparts, and
//! the ledger. SQLite, one file, write-ahead log; every call commits or changes nothing.

mod sqlite;

pub use sqlite::{
    Action, ChangeFilter, ChangeRow, Content, CounterpartRow, Counts, Delivered, Due, EntryFilter, EntryRow, HeldRow,
    IntentRecord, LaneRecord, LedgerFilter, LedgerRow, Looking, OpenIntent, Outcome, OutcomeResult, PageTally,
    Resumption, Seen, Standing, Store, StoreError, StoredEntry, Verdict, VersionRow, WordSearch,
};
