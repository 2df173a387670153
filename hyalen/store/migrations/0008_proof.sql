-- Of each page: words that are proofed, the wrong ones to be expected, the variance of that; and the clerks' word lists.
ALTER TABLE page ADD COLUMN proofed INTEGER NOT NULL DEFAULT 0;
ALTER TABLE page ADD COLUMN expected REAL NOT NULL DEFAULT 0;
ALTER TABLE page ADD COLUMN variance REAL NOT NULL DEFAULT 0;

-- batch_id is 0 for the list of all batches.
CREATE TABLE listed (
  batch_id INTEGER NOT NULL,
  folded TEXT NOT NULL,
  word TEXT NOT NULL,
  made REAL NOT NULL,
  PRIMARY KEY (batch_id, folded)
) WITHOUT ROWID;
