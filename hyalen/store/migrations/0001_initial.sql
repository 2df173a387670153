-- Times are seconds since 1970 (UTC). JSON columns hold the core's models.

CREATE TABLE batch (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  languages TEXT NOT NULL,
  created REAL NOT NULL
);

CREATE TABLE document (
  id INTEGER PRIMARY KEY,
  batch_id INTEGER NOT NULL REFERENCES batch(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  source_name TEXT NOT NULL,
  stem TEXT NOT NULL,
  source_blob TEXT NOT NULL,
  title TEXT NOT NULL,
  language TEXT,
  languages TEXT NOT NULL,
  page_count INTEGER NOT NULL DEFAULT 0,
  settled INTEGER NOT NULL DEFAULT 0,
  note TEXT NOT NULL DEFAULT ''
);
CREATE INDEX document_batch ON document(batch_id, position);

CREATE TABLE page (
  id INTEGER PRIMARY KEY,
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  source_index INTEGER NOT NULL,
  original_blob TEXT,
  kind TEXT,
  width INTEGER,
  height INTEGER,
  dpi REAL,
  dpi_reason TEXT NOT NULL DEFAULT '',
  stated_turn INTEGER NOT NULL DEFAULT 0,
  languages TEXT,
  treatment TEXT NOT NULL,
  cleaned_blob TEXT,
  thumb_blob TEXT,
  cleaned TEXT,
  revision INTEGER NOT NULL DEFAULT 0,
  content BLOB,
  headings TEXT NOT NULL DEFAULT '[]',
  UNIQUE (document_id, position)
);

CREATE TABLE doubt (
  page_id INTEGER NOT NULL REFERENCES page(id) ON DELETE CASCADE,
  document_id INTEGER NOT NULL,
  key TEXT NOT NULL,
  stage TEXT NOT NULL,
  kind TEXT NOT NULL,
  weight REAL NOT NULL,
  reason TEXT NOT NULL,
  region_id TEXT,
  word_id TEXT,
  text TEXT NOT NULL,
  PRIMARY KEY (page_id, key)
) WITHOUT ROWID;
CREATE INDEX doubt_document ON doubt(document_id, stage, weight DESC);

-- The journal. Edits with the same change are undone together.
CREATE TABLE edit (
  id INTEGER PRIMARY KEY,
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,
  page_id INTEGER NOT NULL,
  change INTEGER NOT NULL,
  label TEXT NOT NULL,
  before BLOB,
  after BLOB,
  undone INTEGER NOT NULL DEFAULT 0,
  made REAL NOT NULL
);
CREATE INDEX edit_document ON edit(document_id, change);

CREATE TABLE task (
  id INTEGER PRIMARY KEY,
  batch_id INTEGER NOT NULL REFERENCES batch(id) ON DELETE CASCADE,
  document_id INTEGER REFERENCES document(id) ON DELETE CASCADE,
  page_id INTEGER REFERENCES page(id) ON DELETE CASCADE,
  stage TEXT NOT NULL,
  settings TEXT NOT NULL DEFAULT '{}',
  state TEXT NOT NULL DEFAULT 'waiting',
  attempts INTEGER NOT NULL DEFAULT 0,
  reason TEXT NOT NULL DEFAULT '',
  made REAL NOT NULL,
  finished REAL
);
CREATE INDEX task_state ON task(state, id);
CREATE INDEX task_batch ON task(batch_id, stage, state);
CREATE INDEX task_page ON task(page_id, stage);
CREATE INDEX task_document ON task(document_id, stage);

CREATE TABLE problem (
  id INTEGER PRIMARY KEY,
  batch_id INTEGER NOT NULL REFERENCES batch(id) ON DELETE CASCADE,
  file TEXT NOT NULL,
  reason TEXT NOT NULL,
  made REAL NOT NULL
);

CREATE TABLE delivery (
  id INTEGER PRIMARY KEY,
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,
  format TEXT NOT NULL,
  name TEXT NOT NULL,
  blob TEXT NOT NULL,
  size INTEGER NOT NULL,
  edition TEXT NOT NULL,
  made REAL NOT NULL,
  UNIQUE (document_id, format)
);
