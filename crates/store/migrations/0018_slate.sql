-- Entries that are launched or withdrawn together.
CREATE TABLE slate (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    does TEXT NOT NULL, -- launch, withdraw
    lanes TEXT NOT NULL, -- a JSON list; empty where all lanes are meant that take its entries
    keeps_back INTEGER NOT NULL, -- whether ordinary pushes leave its entries alone till then
    standing TEXT NOT NULL, -- open, launched, cancelled
    made INTEGER NOT NULL,
    who TEXT NOT NULL,
    launch_at INTEGER, -- when it is launched by itself
    launched INTEGER,
    run INTEGER -- the run that launched it
) STRICT;

CREATE TABLE slate_entry (
    slate INTEGER NOT NULL REFERENCES slate (id),
    entry INTEGER NOT NULL REFERENCES entry (id),
    version INTEGER NOT NULL, -- the version that was there when it was added
    added INTEGER NOT NULL,
    PRIMARY KEY (slate, entry)
) STRICT, WITHOUT ROWID;
CREATE INDEX slate_entry_of ON slate_entry (entry);
