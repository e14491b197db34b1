CREATE TABLE source (
  name     TEXT PRIMARY KEY,
  kind     TEXT NOT NULL,
  config   TEXT NOT NULL,             -- connect.Config as JSON; no secrets
  found    TEXT,                      -- catalog.Source as JSON, as last discovered
  found_at TEXT,
  note     TEXT NOT NULL DEFAULT ''   -- for people: that it stands in for another, say
) STRICT;

CREATE TABLE layer (
  name        TEXT PRIMARY KEY,
  position    INTEGER NOT NULL UNIQUE,
  description TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE TABLE view (
  layer       TEXT NOT NULL REFERENCES layer (name),
  name        TEXT NOT NULL,
  sql         TEXT NOT NULL,
  description TEXT NOT NULL DEFAULT '',
  saved_at    TEXT NOT NULL,
  PRIMARY KEY (layer, name)
) STRICT;

CREATE TABLE run (
  id       TEXT PRIMARY KEY,
  sql      TEXT NOT NULL,
  began_at TEXT NOT NULL,
  state    TEXT NOT NULL,             -- done, failed, stopped
  error    TEXT NOT NULL DEFAULT '',
  report   TEXT NOT NULL              -- exec.Report as JSON
) STRICT;

CREATE INDEX run_by_time ON run (began_at DESC);
