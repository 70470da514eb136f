-- Fields of a document there that are known to be something else than what was delivered; null where
-- there are none.
ALTER TABLE counterpart ADD COLUMN apart TEXT;

-- What was to join a new document to the entry's others, so that a past request can be made again.
ALTER TABLE intent ADD COLUMN item TEXT;
