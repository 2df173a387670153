-- The index knows the document, too, so that a common word is not looked up in all of them.
-- What is searched: each region's text, or each cell's, as it reads; `words` says where its words are in it, packed.
CREATE TABLE passage (
  id INTEGER PRIMARY KEY,
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,
  document TEXT GENERATED ALWAYS AS ('d' || document_id) VIRTUAL,
  page_id INTEGER NOT NULL REFERENCES page(id) ON DELETE CASCADE,
  region_id TEXT NOT NULL,
  place INTEGER NOT NULL,
  role TEXT NOT NULL,
  language TEXT NOT NULL,
  text TEXT NOT NULL,
  folded TEXT NOT NULL,
  words BLOB NOT NULL
);
CREATE INDEX passage_page ON passage(page_id, place);
CREATE INDEX passage_document ON passage(document_id);

CREATE VIRTUAL TABLE passage_index USING fts5(
  folded, document, content = 'passage', content_rowid = 'id', tokenize = 'unicode61 remove_diacritics 0', prefix = '2 3');
CREATE TRIGGER passage_added AFTER INSERT ON passage BEGIN
  INSERT INTO passage_index (rowid, folded, document) VALUES (new.id, new.folded, new.document);
END;
CREATE TRIGGER passage_gone AFTER DELETE ON passage BEGIN
  INSERT INTO passage_index (passage_index, rowid, folded, document)
    VALUES ('delete', old.id, old.folded, old.document);
END;
