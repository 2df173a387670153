-- Several documents may be made one file, and one document several files of a format, each by other choices.
CREATE TABLE made (
  id INTEGER PRIMARY KEY,
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,  -- the first, where several are joined
  documents TEXT NOT NULL DEFAULT '',  -- their ids as JSON, where several are joined
  format TEXT NOT NULL,
  options TEXT NOT NULL DEFAULT '{}',
  name TEXT NOT NULL,
  blob TEXT NOT NULL,
  size INTEGER NOT NULL,
  edition TEXT NOT NULL,
  made REAL NOT NULL,
  made_by TEXT NOT NULL DEFAULT '',
  words INTEGER NOT NULL DEFAULT 0,
  expected REAL NOT NULL DEFAULT 0,
  looked_at INTEGER NOT NULL DEFAULT 0,
  found_right INTEGER NOT NULL DEFAULT 0,
  UNIQUE (document_id, documents, format, options)
);
INSERT INTO made (id, document_id, format, options, name, blob, size, edition, made, made_by, words, expected, looked_at, found_right)
  SELECT id, document_id, format, options, name, blob, size, edition, made, made_by, words, expected, looked_at, found_right
  FROM delivery;
DROP TABLE delivery;
ALTER TABLE made RENAME TO delivery;

-- Work on a batch rests while it is paused.
ALTER TABLE batch ADD COLUMN paused INTEGER NOT NULL DEFAULT 0;

-- What is to be known of a file before something is made of it, as JSON: signatures, what its maker forbids.
ALTER TABLE document ADD COLUMN cautions TEXT NOT NULL DEFAULT '[]';
