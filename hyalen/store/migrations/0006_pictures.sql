-- Images that were brought in to stand in pictures' stead.
CREATE TABLE picture (
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,
  blob TEXT NOT NULL,
  PRIMARY KEY (document_id, blob)
) WITHOUT ROWID;
