-- Parts of pictures that editors chose themselves, of an entry's picture for a rendition. Each counts for the very
-- picture that it was made of.
CREATE TABLE cut (
    entry INTEGER NOT NULL REFERENCES entry (id),
    picture TEXT NOT NULL, -- its address
    rendition TEXT NOT NULL,
    x INTEGER NOT NULL,
    y INTEGER NOT NULL,
    width INTEGER NOT NULL,
    height INTEGER NOT NULL,
    hash TEXT NOT NULL, -- the SHA-256 of the picture's bytes
    who TEXT NOT NULL,
    since INTEGER NOT NULL,
    PRIMARY KEY (entry, picture, rendition)
) STRICT, WITHOUT ROWID;
