-- What happened, written in the very commit in which it did, for those who are told. Nothing is written while
-- nobody is.
CREATE TABLE happening (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    at INTEGER NOT NULL,
    kind TEXT NOT NULL,
    subject TEXT NOT NULL,
    detail TEXT NOT NULL
) STRICT;

-- Who is told, and up to which happening it was decided what they are.
CREATE TABLE tell (
    name TEXT PRIMARY KEY,
    position INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- What is to be told, as it is sent.
CREATE TABLE outbox (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    tell TEXT NOT NULL,
    happening INTEGER NOT NULL,
    kind TEXT NOT NULL,
    subject TEXT NOT NULL,
    media TEXT NOT NULL,
    headers TEXT NOT NULL,
    body TEXT NOT NULL,
    made INTEGER NOT NULL,
    attempts INTEGER NOT NULL DEFAULT 0,
    not_before INTEGER NOT NULL,
    problem TEXT,
    ended INTEGER,
    outcome TEXT -- told, or given up
) STRICT;
CREATE INDEX outbox_open ON outbox (tell, subject, number) WHERE ended IS NULL;
CREATE INDEX outbox_ended ON outbox (ended) WHERE ended IS NOT NULL;

-- The lanes on which a run changed something, and whether that was told.
ALTER TABLE run ADD COLUMN changed TEXT;
ALTER TABLE run ADD COLUMN told INTEGER NOT NULL DEFAULT 0;
CREATE INDEX run_untold ON run (id) WHERE changed IS NOT NULL AND told = 0;
