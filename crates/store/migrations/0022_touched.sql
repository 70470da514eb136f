-- The condition of an index as both databases write it.
DROP INDEX joined_touched;
CREATE INDEX joined_touched ON joined (type, id) WHERE touched <> 0;
