-- The tables that a project does not show, as a JSON list of schema.name.
ALTER TABLE source ADD COLUMN hidden TEXT NOT NULL DEFAULT '[]';
