-- Whether a page came with text, shown or hidden, and where its text is taken from: 'file', 'ink' or as the program thinks.
ALTER TABLE page ADD COLUMN own_text INTEGER NOT NULL DEFAULT 0;
ALTER TABLE page ADD COLUMN text_from TEXT NOT NULL DEFAULT '';
UPDATE page SET own_text = 1 WHERE kind = 'born_digital';
