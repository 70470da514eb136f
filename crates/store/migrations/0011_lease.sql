-- What one process at a time does, by whom, and until when unless it says that it is still there.
CREATE TABLE lease (
    what TEXT PRIMARY KEY,
    process TEXT NOT NULL,
    who TEXT NOT NULL,
    doing TEXT NOT NULL,
    since INTEGER NOT NULL,
    ends INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- Grows with everything that makes an entry owed a look, so that a push which looked before that does not
-- take the entry for delivered.
ALTER TABLE delivery ADD COLUMN touched INTEGER NOT NULL DEFAULT 0;

-- When a system was last pulled, or a lane pushed, and how it ended.
CREATE TABLE work (
    what TEXT PRIMARY KEY,
    began INTEGER NOT NULL,
    ended INTEGER NOT NULL,
    problem TEXT, -- the first, where there was one
    well INTEGER, -- when it last ended without one
    failures INTEGER NOT NULL -- how many in a row ended with one
) STRICT, WITHOUT ROWID;

-- Systems and lanes that `serve` leaves alone because a person wished it; `all` stands for all.
CREATE TABLE pause (
    what TEXT PRIMARY KEY,
    who TEXT NOT NULL,
    why TEXT NOT NULL,
    since INTEGER NOT NULL,
    until INTEGER
) STRICT, WITHOUT ROWID;
