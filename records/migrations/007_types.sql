-- The types that were chosen for columns, by table and column, as JSON.
ALTER TABLE source ADD COLUMN types TEXT NOT NULL DEFAULT '{}';
