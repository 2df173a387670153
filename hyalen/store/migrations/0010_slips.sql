-- Where a doubtful word's ink is (a box as JSON) and what it has in common with others, for many to be looked at together.
ALTER TABLE doubt ADD COLUMN place TEXT;
ALTER TABLE doubt ADD COLUMN alike TEXT NOT NULL DEFAULT '';
-- What is known of the words' chances, packed, so that settling one leaves the others as they are.
ALTER TABLE page ADD COLUMN chances BLOB;
CREATE INDEX doubt_alike ON doubt(document_id, stage, alike);

-- How good the text was when it was delivered: words, wrong ones to be expected, and what a sample told.
ALTER TABLE delivery ADD COLUMN words INTEGER NOT NULL DEFAULT 0;
ALTER TABLE delivery ADD COLUMN expected REAL NOT NULL DEFAULT 0;
ALTER TABLE delivery ADD COLUMN looked_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE delivery ADD COLUMN found_right INTEGER NOT NULL DEFAULT 0;
