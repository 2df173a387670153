-- What of a page's image could not be decoded when it was brought in.
ALTER TABLE page ADD COLUMN damage TEXT NOT NULL DEFAULT '';

-- How many pages share a doubt's cause: the first of them tells it for all (n), the others are silent (0).
ALTER TABLE doubt ADD COLUMN shared INTEGER NOT NULL DEFAULT 1;
CREATE INDEX doubt_key ON doubt(document_id, key);
UPDATE doubt SET shared = CASE WHEN page_id = (
    SELECT d.page_id FROM doubt d JOIN page p ON p.id = d.page_id
    WHERE d.document_id = doubt.document_id AND d.key = doubt.key ORDER BY p.position LIMIT 1)
  THEN (SELECT count(*) FROM doubt d WHERE d.document_id = doubt.document_id AND d.key = doubt.key) ELSE 0 END
WHERE key IN ('clean:quality:resolution', 'clean:quality:sharpness', 'clean:quality:contrast', 'clean:quality:noise')
  AND (SELECT count(*) FROM doubt d WHERE d.document_id = doubt.document_id AND d.key = doubt.key) >= 3;
