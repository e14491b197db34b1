-- What was found of a source over time: by checks, and by what was accepted.
CREATE TABLE source_event (
  id     INTEGER PRIMARY KEY,
  source TEXT NOT NULL,
  at     TEXT NOT NULL,
  kind   TEXT NOT NULL,               -- check, accepted
  error  TEXT NOT NULL DEFAULT '',    -- why it was not reached
  found  TEXT NOT NULL DEFAULT '{}'   -- the differences as JSON
) STRICT;

CREATE INDEX source_event_by_source ON source_event (source, id DESC);
