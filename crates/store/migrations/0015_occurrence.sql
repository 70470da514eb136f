-- What did not go as planned, for reports: entries that came to be held or failed, and documents that somebody
-- else changed at the destination.
CREATE TABLE occurrence (
    number INTEGER PRIMARY KEY,
    at INTEGER NOT NULL,
    lane INTEGER NOT NULL REFERENCES lane (id),
    entry INTEGER NOT NULL REFERENCES entry (id),
    language TEXT NOT NULL,
    kind TEXT NOT NULL, -- held, failed, edited
    reason TEXT NOT NULL,
    fields TEXT NOT NULL -- a JSON list
) STRICT;
CREATE INDEX occurrence_at ON occurrence (at);
CREATE INDEX occurrence_entry ON occurrence (entry);
