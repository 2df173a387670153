-- The few doubts of a whole document are found among thousands about its words.
CREATE INDEX doubt_of_document ON doubt(document_id) WHERE of_document;
