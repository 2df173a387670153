-- How a file was made, and for whom: as JSON the options, and the name that the clerk gave.
ALTER TABLE delivery ADD COLUMN options TEXT NOT NULL DEFAULT '{}';
ALTER TABLE delivery ADD COLUMN made_by TEXT NOT NULL DEFAULT '';

-- Formats and their choices that are kept under a name.
CREATE TABLE delivery_set (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  value TEXT NOT NULL,
  made REAL NOT NULL
);
