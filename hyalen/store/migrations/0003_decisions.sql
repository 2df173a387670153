-- Decisions as data: a change is one thing a clerk did, its operations are replayed over what was read.
-- Results of tasks are kept under the fingerprint of their inputs, so that an undone setting finds its result again.

CREATE TABLE change (
  id INTEGER PRIMARY KEY,
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,
  label TEXT NOT NULL,
  undone INTEGER NOT NULL DEFAULT 0,
  made REAL NOT NULL
);
CREATE INDEX change_document ON change(document_id, undone, id);

CREATE TABLE operation (
  id INTEGER PRIMARY KEY,
  change_id INTEGER NOT NULL REFERENCES change(id) ON DELETE CASCADE,
  document_id INTEGER NOT NULL,
  page_id INTEGER REFERENCES page(id) ON DELETE CASCADE,
  op TEXT NOT NULL,
  value TEXT NOT NULL,
  unplaced INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX operation_change ON operation(change_id);
CREATE INDEX operation_page ON operation(page_id, op, id);
CREATE INDEX operation_document ON operation(document_id, op, id) WHERE page_id IS NULL;

CREATE TABLE cleaning (
  page_id INTEGER NOT NULL REFERENCES page(id) ON DELETE CASCADE,
  fingerprint TEXT NOT NULL,
  cleaned TEXT NOT NULL,
  image_blob TEXT NOT NULL,
  thumb_blob TEXT NOT NULL,
  read_blob TEXT,
  made REAL NOT NULL,
  PRIMARY KEY (page_id, fingerprint)
) WITHOUT ROWID;

CREATE TABLE reading (
  page_id INTEGER NOT NULL REFERENCES page(id) ON DELETE CASCADE,
  fingerprint TEXT NOT NULL,
  cleaning TEXT NOT NULL,
  content BLOB NOT NULL,
  made REAL NOT NULL,
  PRIMARY KEY (page_id, fingerprint)
);

ALTER TABLE page ADD COLUMN first_treatment TEXT NOT NULL DEFAULT '{}';
ALTER TABLE page ADD COLUMN cleaning_print TEXT NOT NULL DEFAULT '';
ALTER TABLE page ADD COLUMN reading_print TEXT NOT NULL DEFAULT '';
-- Whether it is the other half of a spread that is one picture again.
ALTER TABLE page ADD COLUMN joined INTEGER NOT NULL DEFAULT 0;
-- By region id, the role that the document gives it and the one it was read as.
ALTER TABLE page ADD COLUMN roles TEXT NOT NULL DEFAULT '{}';
ALTER TABLE page ADD COLUMN facts TEXT NOT NULL DEFAULT '{}';

ALTER TABLE document ADD COLUMN revision INTEGER NOT NULL DEFAULT 0;
ALTER TABLE document ADD COLUMN found_language TEXT;
ALTER TABLE document ADD COLUMN first_languages TEXT NOT NULL DEFAULT '[]';

ALTER TABLE task ADD COLUMN fingerprint TEXT NOT NULL DEFAULT '';
UPDATE task SET state = 'cancelled' WHERE stage = 'settle' AND state IN ('waiting', 'running');
