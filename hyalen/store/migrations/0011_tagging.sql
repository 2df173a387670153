-- What a document's abbreviations stand for, and its bookmarks where a person has had a hand in them; as JSON.
ALTER TABLE document ADD COLUMN abbreviations TEXT NOT NULL DEFAULT '[]';
ALTER TABLE document ADD COLUMN bookmarks TEXT NOT NULL DEFAULT 'null';
UPDATE delivery SET edition = edition || '.[].null';  -- what was made is as much up to date as it was

-- What is told of documents that are brought in to a batch; as JSON.
ALTER TABLE document ADD COLUMN first_particulars TEXT NOT NULL DEFAULT '{}';
ALTER TABLE batch ADD COLUMN particulars TEXT NOT NULL DEFAULT '{}';
