-- Bodies are packed (package sqlite, pack.go). A hash is 32 bytes of SHA-256.
CREATE TABLE blob(
  id   INTEGER PRIMARY KEY,
  hash BLOB NOT NULL,
  body BLOB NOT NULL
);
CREATE UNIQUE INDEX blob_hash ON blob(hash);

CREATE TABLE run(
  id     INTEGER PRIMARY KEY AUTOINCREMENT, -- a number is not given twice
  name   TEXT NOT NULL DEFAULT '',
  scope  TEXT NOT NULL DEFAULT '',  -- how its documents were chosen: '' all, named, sample, where, again
  of     INTEGER NOT NULL DEFAULT 0, -- how many documents the project had then; 0: no project
  schema INTEGER NOT NULL,          -- blob: the schema's source
  schema_file TEXT NOT NULL,
  prompt INTEGER NOT NULL,          -- blob: the prompt without a document
  model  TEXT NOT NULL,             -- its name in the project
  identity TEXT NOT NULL,           -- what the cache knows the model by
  rounds INTEGER NOT NULL,
  settings TEXT NOT NULL DEFAULT '{}', -- JSON: layout and instructions of the prompt
  state  TEXT NOT NULL,             -- going, done, stopped
  began  TEXT NOT NULL,
  seconds REAL NOT NULL DEFAULT 0
);

CREATE TABLE model(
  identity TEXT PRIMARY KEY,
  shape    TEXT NOT NULL            -- the strongest that the server takes
) WITHOUT ROWID;

-- Who is at work: one row for each run that a process takes part in, and one
-- with run 0 for the requests that it sends.
CREATE TABLE worker(
  id      INTEGER PRIMARY KEY AUTOINCREMENT,
  run     INTEGER NOT NULL,
  process TEXT NOT NULL,            -- machine and number of the process
  until   INTEGER NOT NULL          -- milliseconds since 1970; renewed while it lives
);

CREATE TABLE task(
  run      INTEGER NOT NULL,
  n        INTEGER NOT NULL,        -- place of the document in the run, from 0
  document TEXT NOT NULL,
  file     TEXT NOT NULL,
  text_sha256 BLOB,                 -- of the source text, once read
  file_sha256 BLOB,                 -- of the file it was read from
  done     INTEGER NOT NULL DEFAULT 0,
  holder   INTEGER NOT NULL DEFAULT 0, -- the worker that is at it
  metadata TEXT NOT NULL DEFAULT '{}', -- JSON object: what was known of the document before
  PRIMARY KEY(run, n)
) WITHOUT ROWID;

CREATE INDEX task_free ON task(run, n) WHERE NOT done AND holder = 0;

-- Requests on their way.
CREATE TABLE flight(
  key    BLOB PRIMARY KEY,
  holder INTEGER NOT NULL,
  about  TEXT NOT NULL DEFAULT ''   -- JSON: the exchange, once it has gone out
) WITHOUT ROWID;

CREATE TABLE exchange(
  id     INTEGER PRIMARY KEY,
  key    BLOB NOT NULL,             -- hash of the model's identity and the body
  run    INTEGER NOT NULL,
  n      INTEGER NOT NULL,
  step   TEXT NOT NULL,             -- fill, repair 1, …
  try    INTEGER NOT NULL,          -- from 1; 0: taken from the cache
  request BLOB NOT NULL,            -- blobs of the body's parts, as varints
  status INTEGER NOT NULL,          -- of HTTP; 0: no whole answer came
  reply  INTEGER NOT NULL,          -- blob: the answer's body
  error  TEXT NOT NULL DEFAULT '',
  finish TEXT NOT NULL DEFAULT '',
  tokens_in  INTEGER NOT NULL DEFAULT 0,
  tokens_out INTEGER NOT NULL DEFAULT 0,
  estimated  INTEGER NOT NULL DEFAULT 0,
  cost_nano  INTEGER NOT NULL DEFAULT 0,
  took_ms    INTEGER NOT NULL DEFAULT 0,
  at     INTEGER NOT NULL           -- milliseconds since 1970
);
CREATE INDEX exchange_key ON exchange(key) WHERE status = 200;
CREATE INDEX exchange_task ON exchange(run, n);

CREATE TABLE record(
  id       INTEGER PRIMARY KEY,
  run      INTEGER NOT NULL,
  n        INTEGER NOT NULL,
  status   TEXT NOT NULL,
  body     BLOB NOT NULL,           -- record, problems, evidence and risk as JSON
  trace    BLOB NOT NULL            -- JSON: the steps that led here
);
CREATE UNIQUE INDEX record_task ON record(run, n);
