-- Documents of any batches in an order of their own. `state` holds the rules, the entries and the numbers that are kept.
CREATE TABLE bundle (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  state BLOB NOT NULL,  -- compressed JSON
  revision INTEGER NOT NULL DEFAULT 0,
  issue BLOB,  -- what was delivered last, as compressed JSON
  issued REAL,
  created REAL NOT NULL
);

-- What was done to a bundle, so that it can be undone.
CREATE TABLE bundle_step (
  id INTEGER PRIMARY KEY,
  bundle_id INTEGER NOT NULL REFERENCES bundle(id) ON DELETE CASCADE,
  label TEXT NOT NULL,
  before BLOB NOT NULL,
  after BLOB NOT NULL,
  undone INTEGER NOT NULL DEFAULT 0,
  made REAL NOT NULL
);
CREATE INDEX bundle_step_bundle ON bundle_step(bundle_id, id);

-- Marks on pages of a bundle; `places` are on the original, as JSON.
CREATE TABLE mark (
  id INTEGER PRIMARY KEY,
  bundle_id INTEGER NOT NULL REFERENCES bundle(id) ON DELETE CASCADE,
  page_id INTEGER NOT NULL REFERENCES page(id) ON DELETE CASCADE,
  kind TEXT NOT NULL,
  places TEXT NOT NULL,
  colour TEXT NOT NULL,
  name TEXT NOT NULL DEFAULT '',
  text TEXT NOT NULL DEFAULT '',
  made REAL NOT NULL
);
CREATE INDEX mark_bundle ON mark(bundle_id, page_id);
CREATE INDEX mark_page ON mark(page_id);

-- What each document of a bundle was made to, so that only what has changed is made again.
CREATE TABLE bundle_part (
  bundle_id INTEGER NOT NULL REFERENCES bundle(id) ON DELETE CASCADE,
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,
  edition TEXT NOT NULL,
  blob TEXT NOT NULL,
  size INTEGER NOT NULL,
  met INTEGER NOT NULL,  -- whether nothing stands against its being PDF/UA
  made REAL NOT NULL,
  PRIMARY KEY (bundle_id, document_id)
) WITHOUT ROWID;
CREATE INDEX bundle_part_document ON bundle_part(document_id);

-- Bundles to be made; one at a time.
CREATE TABLE bundle_task (
  id INTEGER PRIMARY KEY,
  bundle_id INTEGER NOT NULL REFERENCES bundle(id) ON DELETE CASCADE,
  wanted TEXT NOT NULL,  -- which files and how, as JSON
  state TEXT NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'running', 'done', 'failed', 'cancelled')),
  reason TEXT NOT NULL DEFAULT '',
  made REAL NOT NULL
);
CREATE INDEX bundle_task_state ON bundle_task(state, id);

CREATE TABLE bundle_file (
  id INTEGER PRIMARY KEY,
  bundle_id INTEGER NOT NULL REFERENCES bundle(id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  kind TEXT NOT NULL,
  volume INTEGER NOT NULL DEFAULT 0,
  pages INTEGER NOT NULL DEFAULT 0,
  blob TEXT NOT NULL,
  size INTEGER NOT NULL,
  edition TEXT NOT NULL,
  remarks TEXT NOT NULL DEFAULT '[]',
  made_by TEXT NOT NULL DEFAULT '',
  made REAL NOT NULL
);
CREATE INDEX bundle_file_bundle ON bundle_file(bundle_id);
