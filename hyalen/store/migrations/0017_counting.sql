-- Doubts are counted, and those about words listed by weight, from the index alone.
DROP INDEX doubt_document;
CREATE INDEX doubt_document ON doubt(document_id, stage, kind, weight DESC, shared);
