-- Each row of the ledger carries the hash of the row before it, and each run says who ran it. What an
-- older version let through of credentials that others echoed is blanked.

ALTER TABLE run ADD COLUMN who TEXT NOT NULL DEFAULT '';

ALTER TABLE intent ADD COLUMN link INTEGER;
ALTER TABLE intent ADD COLUMN before BLOB;
ALTER TABLE intent ADD COLUMN hash BLOB;
ALTER TABLE outcome ADD COLUMN link INTEGER;
ALTER TABLE outcome ADD COLUMN before BLOB;
ALTER TABLE outcome ADD COLUMN hash BLOB;

-- A stretch of the chain that was taken out, by whom, and the hashes at its ends.
CREATE TABLE checkpoint (
    id INTEGER PRIMARY KEY,
    who TEXT NOT NULL,
    at INTEGER NOT NULL,
    first INTEGER NOT NULL,
    last INTEGER NOT NULL,
    first_before BLOB NOT NULL,
    last_hash BLOB NOT NULL,
    link INTEGER,
    before BLOB,
    hash BLOB
) STRICT;

CREATE TABLE chain_head (
    id INTEGER PRIMARY KEY CHECK (id = 1),
    link INTEGER NOT NULL,
    hash BLOB NOT NULL
) STRICT;
INSERT INTO chain_head VALUES (1, 0, x'');

UPDATE outcome SET message = without_secrets(message) WHERE message <> without_secrets(message);
UPDATE intent SET request = without_secrets(request) WHERE request <> without_secrets(request);
UPDATE delivery SET message = without_secrets(message) WHERE message <> without_secrets(message);
DELETE FROM page_mark WHERE next <> without_secrets(next) OR place <> without_secrets(place);
UPDATE pull_state SET reading = NULL, seen = NULL WHERE reading <> without_secrets(reading);
