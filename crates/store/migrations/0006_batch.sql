-- Batches of texts that are out for translation.
CREATE TABLE batch (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    brief TEXT NOT NULL,
    source_language TEXT NOT NULL,
    languages TEXT NOT NULL, -- a JSON list
    standing TEXT NOT NULL,
    made INTEGER NOT NULL,
    due INTEGER,
    sent INTEGER,
    ended INTEGER,
    order_there TEXT,
    files_there TEXT NOT NULL DEFAULT '{}' -- what the agency calls the file of each language, as JSON
) STRICT;

-- The texts of a batch, a row per block; `source` is the block as the core codes it.
CREATE TABLE batch_text (
    id INTEGER PRIMARY KEY,
    batch INTEGER NOT NULL REFERENCES batch (id),
    unit TEXT NOT NULL,
    entry INTEGER NOT NULL REFERENCES entry (id),
    version INTEGER NOT NULL,
    field TEXT NOT NULL,
    block INTEGER NOT NULL,
    source TEXT NOT NULL,
    content TEXT NOT NULL,
    words INTEGER NOT NULL,
    UNIQUE (batch, unit)
) STRICT;
CREATE INDEX batch_text_entry ON batch_text (entry);
CREATE INDEX batch_text_source ON batch_text (batch, source);

-- How each text stands in each language.
CREATE TABLE batch_unit (
    text INTEGER NOT NULL REFERENCES batch_text (id),
    language TEXT NOT NULL,
    origin TEXT NOT NULL,
    earlier TEXT,
    standing TEXT NOT NULL,
    target TEXT,
    reasons TEXT,
    at INTEGER NOT NULL,
    PRIMARY KEY (text, language)
) STRICT, WITHOUT ROWID;

-- Files that were collected, by what is in them, so that an old one never overrules a newer.
CREATE TABLE batch_return (
    batch INTEGER NOT NULL REFERENCES batch (id),
    hash BLOB NOT NULL,
    name TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (batch, hash)
) STRICT, WITHOUT ROWID;

-- Translations that are known from before; `place` is empty where one holds for any.
CREATE TABLE memory (
    source_language TEXT NOT NULL,
    target_language TEXT NOT NULL,
    hash BLOB NOT NULL,
    place TEXT NOT NULL,
    source TEXT NOT NULL,
    target TEXT NOT NULL,
    origin TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (source_language, target_language, hash, place)
) STRICT, WITHOUT ROWID;
CREATE INDEX memory_newest ON memory (source_language, target_language, hash, at);

-- Accepted translations, which are values of their entries until the source says something else.
CREATE TABLE translation (
    entry INTEGER NOT NULL REFERENCES entry (id),
    field TEXT NOT NULL,
    language TEXT NOT NULL,
    value TEXT NOT NULL,
    source BLOB NOT NULL, -- the fingerprint of the text that it is of
    replaced TEXT,        -- what the source system had then, where it had anything
    batch INTEGER NOT NULL REFERENCES batch (id),
    is_pseudo INTEGER NOT NULL,
    is_shown INTEGER NOT NULL, -- whether lanes read it before the source system gives it back
    standing TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (entry, field, language)
) STRICT, WITHOUT ROWID;
CREATE INDEX translation_batch ON translation (batch);
