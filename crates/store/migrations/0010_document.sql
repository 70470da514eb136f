-- What documents that are read apart, such as feeds, said of how they want to be asked: where they moved
-- for good, not before when, and since when they are gone for good.

CREATE TABLE document (
    type INTEGER NOT NULL REFERENCES entry_type (id),
    place TEXT NOT NULL,
    moved TEXT,
    not_before INTEGER,
    ended INTEGER,
    PRIMARY KEY (type, place)
) STRICT, WITHOUT ROWID;
