-- The runs in which a slate was launched: one, and another for each time that it was broken off and gone on with.
-- Of a slate that is being launched, `standing` also knows: saving, showing.
CREATE TABLE slate_run (
    slate INTEGER NOT NULL REFERENCES slate (id),
    run INTEGER NOT NULL REFERENCES run (id),
    PRIMARY KEY (slate, run)
) STRICT, WITHOUT ROWID;
INSERT INTO slate_run SELECT id, run FROM slate WHERE run IS NOT NULL;
