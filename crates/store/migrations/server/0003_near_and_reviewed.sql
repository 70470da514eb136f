-- Texts of the memory that are nearly the same as one that is sent, as JSON, and how near the nearest is, in percent.
ALTER TABLE batch_unit ADD COLUMN near TEXT;
ALTER TABLE batch_unit ADD COLUMN percent BIGINT;

-- Who decided about a translation, where somebody did.
ALTER TABLE batch_unit ADD COLUMN reviewer TEXT;
