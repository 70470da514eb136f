//! The hub's store: entries with their versions, where each stands on each lane, counterparts, and
//! the ledger. One SQLite file, or a PostgreSQL database that many machines share; every call commits or changes nothing.

#![cfg_attr(test, expect(clippy::duplicate_mod, reason = "the same tests are made on a file and on a server"))]

mod store;

pub use store::{
    Action, AfterLook, AlertChanges, AlertRow, Attempt, BatchRow, BatchStanding, BatchUnit, ChainState, ChangeFilter,
    ChangeRow, Condition, Content, Copied, CounterpartRow, Counts, CutPlace, DatabaseError, Delivered, Due, DueFilter,
    EditorsCut, EntryFilter, EntryRow, Fault, HandEdit, Happening, HeldRow, Holder, IntentRecord, KeptBack,
    KeptDocument, KnownTranslation, LaneRecord, LaneStanding, LeaseRow, Leased, LedgerFilter, LedgerRow, LeftLane,
    LongHeld, Message, Moments, Moved, NewCall, NewMessage, NewText, OccurrenceCount, OpenIntent, OpenUnit, Origin,
    Outcome, OutcomeResult, Owner, PageTally, Passage, Pause, Paused, Pin, Process, Resumption, RunChange, SLOT, Seen,
    Server, ServerFault, Slate, SlateAction, SlateEntry, SlateStanding, SlotCount, SourceType, Span, Standing, Store,
    StoreError, StorePlace, StoredEntry, Subscription, TakenAlone, Tidying, TranslatedCount, Translation,
    TranslationRow, TranslationStanding, Undone, UnitCount, UnitStanding, UnitVerdict, Verdict, VersionRow, Waiting,
    WaitingEvent, WantedLanguage, Was, WordSearch, WorkRow,
};
