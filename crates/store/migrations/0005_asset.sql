-- Files that were delivered to a destination, by what is in them.
CREATE TABLE asset (
    system TEXT NOT NULL,
    hash TEXT NOT NULL,
    id_there TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (system, hash)
) STRICT, WITHOUT ROWID;

-- What was last found at an address.
CREATE TABLE asset_address (
    url TEXT PRIMARY KEY,
    hash TEXT NOT NULL
) STRICT, WITHOUT ROWID;
