-- A page may come from another file than its document's, as scanned sheets do. NULL: from its document's, at source_index.
ALTER TABLE page ADD COLUMN source_blob TEXT;
ALTER TABLE page ADD COLUMN source_page INTEGER;
-- What that file is called, and what came in bit for bit where it was made from that.
ALTER TABLE page ADD COLUMN source_name TEXT;
ALTER TABLE page ADD COLUMN came_blob TEXT;
-- Dots an inch that its scanner was asked for; 0: what its file states counts.
ALTER TABLE page ADD COLUMN told_dpi REAL NOT NULL DEFAULT 0;

-- Devices that the clerk has named or confirmed; no other address is spoken to.
CREATE TABLE scanner (
  id INTEGER PRIMARY KEY,
  address TEXT NOT NULL UNIQUE,
  name TEXT NOT NULL,
  added REAL NOT NULL
);
CREATE TABLE scan_preset (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE,
  value TEXT NOT NULL,
  made REAL NOT NULL
);

-- Sheets going through a scanner into a batch, and how far they are.
CREATE TABLE scan (
  id INTEGER PRIMARY KEY,
  batch_id INTEGER NOT NULL REFERENCES batch(id) ON DELETE CASCADE,
  scanner_id INTEGER REFERENCES scanner(id) ON DELETE SET NULL,
  wish TEXT NOT NULL,  -- how the sheets are scanned, as JSON
  aim TEXT NOT NULL,  -- where their pages go, as JSON
  state TEXT NOT NULL DEFAULT 'resting' CHECK (state IN ('resting', 'running', 'ended')),
  trouble TEXT NOT NULL DEFAULT '',  -- its kind and what to do, as JSON
  pass INTEGER NOT NULL DEFAULT 1,  -- 2: the other sides of sheets that went through once
  job TEXT NOT NULL DEFAULT '',  -- the device's name of what is under way
  job_first INTEGER NOT NULL DEFAULT 0,  -- faces that had come when it began
  change_id INTEGER,  -- of the document's journal, where pages are put among others
  begun REAL NOT NULL
);
CREATE INDEX scan_batch ON scan(batch_id);

-- A side of a sheet, as it came; what became of it.
CREATE TABLE face (
  id INTEGER PRIMARY KEY,
  scan_id INTEGER NOT NULL REFERENCES scan(id) ON DELETE CASCADE,
  pass INTEGER NOT NULL,
  number INTEGER NOT NULL,  -- from 0, in the order in which they came
  blob TEXT NOT NULL,
  thumb_blob TEXT NOT NULL,
  judged TEXT NOT NULL,  -- what is to be seen on it, as JSON
  fate TEXT NOT NULL DEFAULT 'waiting' CHECK (fate IN ('waiting', 'page', 'blank', 'separator')),
  document_id INTEGER REFERENCES document(id) ON DELETE CASCADE,
  page_id INTEGER REFERENCES page(id) ON DELETE SET NULL,
  place INTEGER,  -- its source_index within the document
  UNIQUE (scan_id, pass, number)
);
CREATE INDEX face_page ON face(page_id);
CREATE INDEX face_document ON face(document_id);

-- A folder that is watched for a batch, beneath the one that the server was given; NULL: none is.
ALTER TABLE batch ADD COLUMN inbox TEXT;
-- By which file of a watched folder they came: what a killed server has taken in half is taken in anew.
ALTER TABLE document ADD COLUMN came_by TEXT NOT NULL DEFAULT '';
ALTER TABLE problem ADD COLUMN came_by TEXT NOT NULL DEFAULT '';
-- Files of watched folders that are wholly taken in and not yet put away.
CREATE TABLE taken_in (
  token TEXT PRIMARY KEY
) WITHOUT ROWID;
