-- What was brought in bit for bit, where the source was made from it: an office file, a message. Else NULL.
ALTER TABLE document ADD COLUMN came_blob TEXT;
