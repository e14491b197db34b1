-- What is known of views, so that it need not be found out at each start: it tells
-- itself whether it still holds.
CREATE TABLE known (
  name TEXT PRIMARY KEY,       -- layer.view
  data BLOB NOT NULL
) STRICT;
