-- What a request changes, as it was before: a JSON object of `presence` and `fields`; none where nothing was there.
ALTER TABLE intent ADD COLUMN was TEXT;
CREATE INDEX intent_run ON intent (run);

-- Entries that are kept at a destination as they were before a run, till a person releases them.
CREATE TABLE undone (
    lane INTEGER NOT NULL REFERENCES lane (id),
    entry INTEGER NOT NULL REFERENCES entry (id),
    run INTEGER NOT NULL, -- the run that was undone
    who TEXT NOT NULL,
    since INTEGER NOT NULL,
    documents TEXT NOT NULL, -- a JSON list of `language` and `fields`; empty where nothing is to be there
    PRIMARY KEY (lane, entry)
) STRICT, WITHOUT ROWID;
