-- Every text that a view had, numbered from 1.
CREATE TABLE revision (
  layer       TEXT NOT NULL,
  name        TEXT NOT NULL,
  number      INTEGER NOT NULL,
  sql         TEXT NOT NULL,
  description TEXT NOT NULL,
  message     TEXT NOT NULL DEFAULT '',   -- why, in the words of who saved it
  saved_at    TEXT NOT NULL,
  PRIMARY KEY (layer, name, number)
) STRICT;

ALTER TABLE view ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;

INSERT INTO revision SELECT layer, name, 1, sql, description, '', saved_at FROM view;
