-- Words drawn by lot to tell how many are right; verdict is 1 for right, 0 for wrong, NULL before anyone has looked.
CREATE TABLE sample (
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,
  page_id INTEGER NOT NULL REFERENCES page(id) ON DELETE CASCADE,
  word_id TEXT NOT NULL,
  text TEXT NOT NULL,
  place TEXT NOT NULL,
  verdict INTEGER,
  made REAL NOT NULL,
  PRIMARY KEY (page_id, word_id)
) WITHOUT ROWID;
CREATE INDEX sample_document ON sample(document_id);
