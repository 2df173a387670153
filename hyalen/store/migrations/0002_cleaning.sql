-- Spreads, deleted pages, black-and-white output, duplicates, duplex, named treatments and their journal.

ALTER TABLE page ADD COLUMN half TEXT NOT NULL DEFAULT 'whole';
ALTER TABLE page ADD COLUMN read_blob TEXT;
ALTER TABLE page ADD COLUMN likeness TEXT NOT NULL DEFAULT '';
-- Where a deleted page stood; its position is then negative, so that it is in nobody's way.
ALTER TABLE page ADD COLUMN removed_from INTEGER;
ALTER TABLE document ADD COLUMN duplex INTEGER NOT NULL DEFAULT 0;

CREATE TABLE named_treatment (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE,
  treatment TEXT NOT NULL,
  made REAL NOT NULL
);

-- What a treatment was before it was changed; changes of one number are taken back together.
CREATE TABLE treatment_change (
  id INTEGER PRIMARY KEY,
  document_id INTEGER NOT NULL REFERENCES document(id) ON DELETE CASCADE,
  page_id INTEGER NOT NULL REFERENCES page(id) ON DELETE CASCADE,
  change INTEGER NOT NULL,
  before TEXT NOT NULL,
  made REAL NOT NULL
);
CREATE INDEX treatment_change_document ON treatment_change(document_id, change);

-- Lengths are inches now, and specks are one of several marks.
UPDATE page SET treatment = json_remove(
  json_set(treatment, '$.marks', json(coalesce(json_extract(treatment, '$.despeckle'), '{}'))), '$.despeckle');
UPDATE page SET treatment = json_set(treatment, '$.trim.box', json_array(
    json_extract(treatment, '$.trim.box[0]') / dpi, json_extract(treatment, '$.trim.box[1]') / dpi,
    json_extract(treatment, '$.trim.box[2]') / dpi, json_extract(treatment, '$.trim.box[3]') / dpi))
  WHERE json_type(treatment, '$.trim.box') = 'array' AND dpi > 0;
UPDATE page SET cleaned = replace(cleaned, '"step":"despeckle"', '"step":"marks"') WHERE cleaned IS NOT NULL;
