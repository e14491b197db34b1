-- Passwords that Rovik keeps itself, encrypted with a key that is not in here.
CREATE TABLE secret (
  name   TEXT PRIMARY KEY,
  sealed BLOB NOT NULL             -- nonce, then AES-256-GCM with the name as additional data
) STRICT;
