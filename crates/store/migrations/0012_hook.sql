-- Entries that were read by themselves since a listing last showed them, and when they were asked for: what a
-- page said that was asked for before is older.
CREATE TABLE read_apart (
    type INTEGER NOT NULL REFERENCES entry_type (id),
    entry INTEGER NOT NULL REFERENCES entry (id),
    at INTEGER NOT NULL,
    PRIMARY KEY (type, entry)
) STRICT, WITHOUT ROWID;

-- What came in from outside: hints that an entry changed. Each stays until the entry was looked at.
CREATE TABLE hook_event (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    hook TEXT NOT NULL,
    event TEXT, -- the id that the sender gave it
    system TEXT NOT NULL,
    type TEXT, -- none where everything of the system is meant
    source_id TEXT,
    word TEXT, -- what the sender calls what happened
    received INTEGER NOT NULL,
    looks INTEGER NOT NULL DEFAULT 0,
    not_before INTEGER NOT NULL,
    done INTEGER,
    outcome TEXT
) STRICT;
CREATE INDEX hook_event_id ON hook_event (hook, event) WHERE event IS NOT NULL;
CREATE INDEX hook_event_open ON hook_event (system, not_before, number) WHERE done IS NULL;
CREATE INDEX hook_event_done ON hook_event (done) WHERE done IS NOT NULL;
