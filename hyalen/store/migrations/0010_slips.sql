-- Where a doubtful word's ink is (a box as JSON) and what it has in common with others, for many to be looked at together.
ALTER TABLE doubt ADD COLUMN place TEXT;
ALTER TABLE doubt ADD COLUMN alike TEXT NOT NULL DEFAULT '';
-- What is known of the words' chances, packed, so that settling one leaves the others as they are.
ALTER TABLE page ADD COLUMN chances BLOB;
CREATE INDEX doubt_alike ON doubt(document_id, stage, alike);

-- What would settle a doubt, as JSON; and whether only the whole document shows it.
ALTER TABLE doubt ADD COLUMN mend TEXT;
ALTER TABLE doubt ADD COLUMN of_document INTEGER NOT NULL DEFAULT 0;
UPDATE doubt SET of_document = 1 WHERE stage = 'check';

-- What a person must judge on a page; `print` is of all that is judged.
CREATE TABLE judgement (
  page_id INTEGER NOT NULL REFERENCES page(id) ON DELETE CASCADE,
  key TEXT NOT NULL,
  rule TEXT NOT NULL,
  question TEXT NOT NULL,
  print TEXT NOT NULL,
  region_id TEXT,
  text TEXT NOT NULL,
  PRIMARY KEY (page_id, key)
) WITHOUT ROWID;
-- Who signed it off; it holds while what was judged stays as it is.
CREATE TABLE verdict (
  page_id INTEGER NOT NULL REFERENCES page(id) ON DELETE CASCADE,
  key TEXT NOT NULL,
  print TEXT NOT NULL,
  name TEXT NOT NULL,
  made REAL NOT NULL,
  PRIMARY KEY (page_id, key, print)
) WITHOUT ROWID;

-- What a document's pages are called, and what is told of it beside title and language; as JSON.
ALTER TABLE document ADD COLUMN labels TEXT NOT NULL DEFAULT '[]';
ALTER TABLE document ADD COLUMN particulars TEXT NOT NULL DEFAULT '{}';
UPDATE delivery SET edition = edition || '.[].{}';  -- what was made is as much up to date as it was

-- How good the text was when it was delivered: words, wrong ones to be expected, and what a sample told.
ALTER TABLE delivery ADD COLUMN words INTEGER NOT NULL DEFAULT 0;
ALTER TABLE delivery ADD COLUMN expected REAL NOT NULL DEFAULT 0;
ALTER TABLE delivery ADD COLUMN looked_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE delivery ADD COLUMN found_right INTEGER NOT NULL DEFAULT 0;
