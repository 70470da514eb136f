-- Entries that a person took off a destination; they stay off until they are put back.
CREATE TABLE taken_off (
    lane INTEGER NOT NULL REFERENCES lane (id),
    entry INTEGER NOT NULL REFERENCES entry (id),
    since INTEGER NOT NULL,
    PRIMARY KEY (lane, entry)
) STRICT, WITHOUT ROWID;
