-- How many entries came in new or changed, by system and whole hour since 1970.
CREATE TABLE arrival (
    system TEXT NOT NULL,
    hour INTEGER NOT NULL,
    entries INTEGER NOT NULL,
    last INTEGER NOT NULL, -- when the last of them did
    PRIMARY KEY (system, hour)
) STRICT, WITHOUT ROWID;

-- Whether the last push of a lane stopped to ask a person.
ALTER TABLE work ADD COLUMN asks INTEGER NOT NULL DEFAULT 0;

-- What a person should know, open until it is over.
CREATE TABLE alert (
    number INTEGER PRIMARY KEY,
    kind TEXT NOT NULL,
    subject TEXT NOT NULL,
    message TEXT NOT NULL,
    opened INTEGER NOT NULL,
    reminded INTEGER NOT NULL,
    closed INTEGER
) STRICT;
CREATE UNIQUE INDEX alert_open ON alert (kind, subject) WHERE closed IS NULL;
CREATE INDEX alert_closed ON alert (closed) WHERE closed IS NOT NULL;
