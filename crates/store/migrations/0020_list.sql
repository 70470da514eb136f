-- What people said of ordered lists: entries pinned to a place, or, of a list that is put together by hand, its
-- entries in order.
CREATE TABLE list_pin (
    list TEXT NOT NULL,
    entry INTEGER NOT NULL REFERENCES entry (id),
    place INTEGER NOT NULL, -- from 1
    until INTEGER, -- when it ends; never where null
    who TEXT NOT NULL,
    since INTEGER NOT NULL,
    PRIMARY KEY (list, entry)
) STRICT, WITHOUT ROWID;
