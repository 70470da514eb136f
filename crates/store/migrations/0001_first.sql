-- Entries as they were taken in. The content of the current version stands in `version` alone.
CREATE TABLE entry_type (
    id INTEGER PRIMARY KEY,
    system TEXT NOT NULL,
    name TEXT NOT NULL,
    UNIQUE (system, name)
) STRICT;

CREATE TABLE entry (
    id INTEGER PRIMARY KEY,
    type INTEGER NOT NULL REFERENCES entry_type (id),
    source_id TEXT NOT NULL,
    state TEXT NOT NULL,
    revision TEXT,
    fingerprint BLOB NOT NULL,
    version INTEGER NOT NULL,
    first_seen INTEGER NOT NULL, -- milliseconds since 1970, UTC, as all times here
    changed INTEGER NOT NULL,
    UNIQUE (type, source_id)
) STRICT;

CREATE TABLE version (
    entry INTEGER NOT NULL REFERENCES entry (id),
    number INTEGER NOT NULL,
    at INTEGER NOT NULL,
    state TEXT NOT NULL,
    revision TEXT,
    fingerprint BLOB NOT NULL,
    fields TEXT NOT NULL,
    PRIMARY KEY (entry, number)
) STRICT, WITHOUT ROWID;

-- The words of the current version, in all languages, each once.
CREATE VIRTUAL TABLE entry_text USING fts5 (
    words, content = '', contentless_delete = 1, tokenize = 'unicode61 remove_diacritics 2', detail = 'none'
);
INSERT INTO entry_text (entry_text, rank) VALUES ('pgsz', 16000);

-- Which entries the current version refers to, by address.
CREATE TABLE refers (
    entry INTEGER NOT NULL REFERENCES entry (id),
    target TEXT NOT NULL,
    PRIMARY KEY (entry, target)
) STRICT, WITHOUT ROWID;
CREATE INDEX refers_target ON refers (target);

-- Pages of listings by which an unchanged one is known again; `seen` is a bitmap of entry ids.
CREATE TABLE page_mark (
    type INTEGER NOT NULL REFERENCES entry_type (id),
    place TEXT NOT NULL,
    etag TEXT,
    last_modified TEXT,
    content BLOB NOT NULL,
    next TEXT,
    seen BLOB NOT NULL,
    used INTEGER NOT NULL,
    PRIMARY KEY (type, place)
) STRICT, WITHOUT ROWID;

-- Entries whose languages a source lists one by one, and those languages; the entry is put together
-- from them.
CREATE TABLE joined (
    id INTEGER PRIMARY KEY,
    type INTEGER NOT NULL REFERENCES entry_type (id),
    source_id TEXT NOT NULL,
    touched INTEGER NOT NULL DEFAULT 1, -- a language changed, and the entry is not yet put together anew
    UNIQUE (type, source_id)
) STRICT;
CREATE INDEX joined_touched ON joined (type, id) WHERE touched;
CREATE TABLE part (
    id INTEGER PRIMARY KEY,
    joined INTEGER NOT NULL REFERENCES joined (id),
    language TEXT NOT NULL,
    state TEXT NOT NULL,
    revision TEXT,
    fingerprint BLOB NOT NULL,
    fields TEXT NOT NULL,
    UNIQUE (joined, language)
) STRICT;

-- How far the pulls of a type have come: the newest change that its source told of, and, of a
-- listing that was broken off, where it goes on and what it has shown.
CREATE TABLE pull_state (
    type INTEGER PRIMARY KEY REFERENCES entry_type (id),
    newest TEXT,
    cursor TEXT,
    reading TEXT,
    seen BLOB,
    began INTEGER
) STRICT;

CREATE TABLE lane (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    from_type INTEGER NOT NULL REFERENCES entry_type (id),
    to_type INTEGER NOT NULL REFERENCES entry_type (id),
    definition BLOB NOT NULL
) STRICT;

-- Where each entry stands on each lane. What is `owed`, `held` or `failed` is looked at by a push.
CREATE TABLE delivery (
    lane INTEGER NOT NULL REFERENCES lane (id),
    entry INTEGER NOT NULL REFERENCES entry (id),
    standing TEXT NOT NULL,
    reason TEXT,
    message TEXT,
    since INTEGER NOT NULL,
    PRIMARY KEY (lane, entry)
) STRICT, WITHOUT ROWID;
CREATE INDEX delivery_due ON delivery (lane, entry) WHERE standing IN ('owed', 'held', 'failed');
CREATE INDEX delivery_held ON delivery (standing) WHERE standing IN ('held', 'failed');
CREATE INDEX delivery_entry ON delivery (entry);

-- Kept by the transactions that change `delivery`, so that `status` never counts.
CREATE TABLE delivery_count (
    lane INTEGER NOT NULL,
    standing TEXT NOT NULL,
    entries INTEGER NOT NULL,
    PRIMARY KEY (lane, standing)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER delivery_added AFTER INSERT ON delivery BEGIN
    INSERT INTO delivery_count VALUES (new.lane, new.standing, 1)
        ON CONFLICT DO UPDATE SET entries = entries + 1;
END;
CREATE TRIGGER delivery_moved AFTER UPDATE OF standing ON delivery WHEN old.standing <> new.standing BEGIN
    UPDATE delivery_count SET entries = entries - 1 WHERE lane = old.lane AND standing = old.standing;
    INSERT INTO delivery_count VALUES (new.lane, new.standing, 1)
        ON CONFLICT DO UPDATE SET entries = entries + 1;
END;
CREATE TRIGGER delivery_removed AFTER DELETE ON delivery BEGIN
    UPDATE delivery_count SET entries = entries - 1 WHERE lane = old.lane AND standing = old.standing;
END;

-- Other entries that were read to find what an entry becomes: when one changes, so may the result.
CREATE TABLE reading (
    type INTEGER NOT NULL REFERENCES entry_type (id),
    source_id TEXT NOT NULL,
    lane INTEGER NOT NULL,
    entry INTEGER NOT NULL,
    PRIMARY KEY (type, source_id, lane, entry)
) STRICT, WITHOUT ROWID;
CREATE INDEX reading_by ON reading (lane, entry);

-- What an entry has become at a destination, a row per document.
CREATE TABLE counterpart (
    lane INTEGER NOT NULL REFERENCES lane (id),
    entry INTEGER NOT NULL REFERENCES entry (id),
    language TEXT NOT NULL, -- empty where the destination has one document for all
    id TEXT NOT NULL,
    item TEXT,
    revision TEXT,
    fingerprint BLOB NOT NULL,
    fields TEXT NOT NULL,
    presence TEXT NOT NULL,
    delivered INTEGER NOT NULL,
    PRIMARY KEY (lane, entry, language)
) STRICT, WITHOUT ROWID;
CREATE INDEX counterpart_id ON counterpart (id);

-- The ledger: intents before requests, outcomes after. Rows are only ever added.
CREATE TABLE run (
    id INTEGER PRIMARY KEY,
    command TEXT NOT NULL,
    started INTEGER NOT NULL,
    ended INTEGER,
    summary TEXT
) STRICT;

CREATE TABLE intent (
    id INTEGER PRIMARY KEY,
    run INTEGER NOT NULL REFERENCES run (id),
    lane INTEGER NOT NULL REFERENCES lane (id),
    entry INTEGER NOT NULL REFERENCES entry (id),
    language TEXT NOT NULL,
    action TEXT NOT NULL,
    request TEXT NOT NULL, -- method and address, without secrets
    id_there TEXT,
    base_revision TEXT,
    fingerprint BLOB NOT NULL,
    fields TEXT NOT NULL,
    at INTEGER NOT NULL
) STRICT;
CREATE INDEX intent_entry ON intent (entry);

CREATE TABLE outcome (
    intent INTEGER PRIMARY KEY REFERENCES intent (id),
    result TEXT NOT NULL,
    status INTEGER,
    id_there TEXT,
    revision TEXT,
    message TEXT,
    at INTEGER NOT NULL
) STRICT;

-- Intents without an outcome: those of a run that is going on, or in doubt after a crash.
CREATE TABLE open_intent (
    intent INTEGER PRIMARY KEY REFERENCES intent (id),
    lane INTEGER NOT NULL,
    entry INTEGER NOT NULL
) STRICT;
CREATE INDEX open_intent_entry ON open_intent (lane, entry);
