-- How many rows a part of a query gave when it was last read to its end.
CREATE TABLE measured (
  signature TEXT PRIMARY KEY,
  row_count INTEGER NOT NULL,
  at        TEXT NOT NULL
) STRICT;
