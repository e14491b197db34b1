-- The shapes of a source's nested records, as a JSON list.
ALTER TABLE source ADD COLUMN shapes TEXT NOT NULL DEFAULT '[]';
