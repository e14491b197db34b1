-- The keys that were declared by hand, with what was measured of them, as a JSON list.
ALTER TABLE source ADD COLUMN declared TEXT NOT NULL DEFAULT '[]';
