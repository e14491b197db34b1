-- What people say of a view's columns, and labels: catalog.Notes as JSON. Part of
-- each revision, as the description is.
ALTER TABLE view ADD COLUMN notes TEXT NOT NULL DEFAULT '{}';
ALTER TABLE revision ADD COLUMN notes TEXT NOT NULL DEFAULT '{}';
