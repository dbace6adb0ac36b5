-- What people made of the record of a document.
CREATE TABLE IF NOT EXISTS review(
  schema   TEXT NOT NULL,           -- its name
  document TEXT NOT NULL,
  run      INTEGER NOT NULL,
  text_sha256 BLOB NOT NULL,
  by       TEXT NOT NULL,
  at       INTEGER NOT NULL,        -- milliseconds since 1970
  done     INTEGER NOT NULL,
  body     BLOB NOT NULL,           -- packed: record, evidence, decisions and notes as JSON
  PRIMARY KEY(schema, document, text_sha256)
);
