-- The fingerprints of what was there after earlier deliveries, one after the other, the newest last; null
-- where there are none.
ALTER TABLE counterpart ADD COLUMN past BLOB;

-- Where each destination was when it was last pushed to.
CREATE TABLE destination (
    system TEXT PRIMARY KEY,
    place TEXT NOT NULL
) STRICT;

-- The destination field by which a lane recognises documents, and the key that each was delivered with:
-- no other entry may have it.
ALTER TABLE lane ADD COLUMN key_field TEXT;
ALTER TABLE counterpart ADD COLUMN key TEXT;
CREATE INDEX counterpart_key ON counterpart (key) WHERE key IS NOT NULL;
