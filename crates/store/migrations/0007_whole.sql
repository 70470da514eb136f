-- What a page said of its listing, so that a page that is as it was says it again.
ALTER TABLE page_mark ADD COLUMN items INTEGER;
ALTER TABLE page_mark ADD COLUMN total INTEGER;
ALTER TABLE page_mark ADD COLUMN pages INTEGER;
-- A mark without these would make a listing look shorter than it is.
DELETE FROM page_mark;

-- When everything was last listed, where usually only what changed is asked for.
ALTER TABLE pull_state ADD COLUMN whole_at INTEGER;
