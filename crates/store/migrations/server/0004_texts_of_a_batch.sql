-- The texts of a batch are gone through in their order, a page at a time.
CREATE INDEX batch_text_batch ON batch_text (batch, id);
