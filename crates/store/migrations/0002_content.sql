-- A version's content is packed: its fields, the notes on it and the item as received, compressed
-- together with what the type's entries have in common. `packing` is null where it is plain, 0 where
-- it is compressed by itself, else the number of the dictionary.
CREATE TABLE dictionary (
    id INTEGER PRIMARY KEY,
    type INTEGER NOT NULL UNIQUE REFERENCES entry_type (id),
    bytes BLOB NOT NULL
) STRICT;

CREATE TABLE version_packed (
    entry INTEGER NOT NULL REFERENCES entry (id),
    number INTEGER NOT NULL,
    at INTEGER NOT NULL,
    state TEXT NOT NULL,
    revision TEXT,
    fingerprint BLOB NOT NULL,
    content BLOB NOT NULL,
    packing INTEGER,
    PRIMARY KEY (entry, number)
) STRICT, WITHOUT ROWID;
INSERT INTO version_packed SELECT entry, number, at, state, revision, fingerprint, CAST(fields AS BLOB), NULL FROM version;
DROP TABLE version;
ALTER TABLE version_packed RENAME TO version;
CREATE INDEX version_at ON version (at);

ALTER TABLE part RENAME COLUMN fields TO content;
