-- What is in the search, apart from its texts: reading which entries are of what
-- there is now does not read these.
CREATE TABLE search_entry (
  id   INTEGER PRIMARY KEY,  -- its rowid in search
  what TEXT NOT NULL,
  name TEXT NOT NULL,
  hash TEXT NOT NULL,
  UNIQUE (what, name)
) STRICT;

DROP TABLE search;

CREATE VIRTUAL TABLE search USING fts5(name, columns, description, sql, what UNINDEXED, tokenize = 'unicode61');
