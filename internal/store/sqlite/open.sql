-- Requests that went out in a file and wait for their replies.
CREATE TABLE IF NOT EXISTS open(
  run     INTEGER NOT NULL,
  key     BLOB NOT NULL,            -- as that of an exchange
  n       INTEGER NOT NULL,
  step    TEXT NOT NULL,
  request BLOB NOT NULL,            -- as that of an exchange
  terms   TEXT NOT NULL,            -- JSON: what it is settled by
  asked   INTEGER NOT NULL,         -- milliseconds since 1970, when it was asked last
  PRIMARY KEY(run, key)
);
CREATE INDEX IF NOT EXISTS open_key ON open(key);
