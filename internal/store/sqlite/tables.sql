CREATE TABLE blob(
  hash TEXT PRIMARY KEY,
  body BLOB NOT NULL
) WITHOUT ROWID;

CREATE TABLE run(
  id     INTEGER PRIMARY KEY,
  name   TEXT NOT NULL DEFAULT '',
  scope  TEXT NOT NULL DEFAULT '',  -- how its documents were chosen: '' all, named, sample, where, again
  of     INTEGER NOT NULL DEFAULT 0, -- how many documents the project had then; 0: no project
  schema TEXT NOT NULL,             -- blob: the schema's source
  schema_file TEXT NOT NULL,
  prompt TEXT NOT NULL,             -- blob: the prompt without a document
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

CREATE TABLE task(
  run      INTEGER NOT NULL,
  n        INTEGER NOT NULL,        -- place of the document in the run, from 0
  document TEXT NOT NULL,
  file     TEXT NOT NULL,
  text_sha256 TEXT NOT NULL DEFAULT '', -- of the source text, once read
  file_sha256 TEXT NOT NULL DEFAULT '', -- of the file it was read from
  state    TEXT NOT NULL,           -- waiting, done
  holder   TEXT NOT NULL DEFAULT '',
  until    TEXT NOT NULL DEFAULT '',
  metadata TEXT NOT NULL DEFAULT '{}', -- JSON object: what was known of the document before
  PRIMARY KEY(run, n)
) WITHOUT ROWID;

CREATE TABLE exchange(
  id     INTEGER PRIMARY KEY,
  key    TEXT NOT NULL,             -- the model's identity and the body
  run    INTEGER NOT NULL,
  n      INTEGER NOT NULL,
  step   TEXT NOT NULL,             -- fill, repair 1, …
  try    INTEGER NOT NULL,          -- from 1; 0: taken from the cache
  request TEXT NOT NULL,            -- blobs of the body's parts
  status INTEGER NOT NULL,          -- of HTTP; 0: no whole answer came
  reply  TEXT NOT NULL,             -- blob: the answer's body
  error  TEXT NOT NULL DEFAULT '',
  finish TEXT NOT NULL DEFAULT '',
  tokens_in  INTEGER NOT NULL DEFAULT 0,
  tokens_out INTEGER NOT NULL DEFAULT 0,
  estimated  INTEGER NOT NULL DEFAULT 0,
  cost_nano  INTEGER NOT NULL DEFAULT 0,
  took_ms    INTEGER NOT NULL DEFAULT 0,
  at     TEXT NOT NULL
);
CREATE INDEX exchange_key ON exchange(key) WHERE status = 200;
CREATE INDEX exchange_task ON exchange(run, n);

CREATE TABLE record(
  run      INTEGER NOT NULL,
  n        INTEGER NOT NULL,
  status   TEXT NOT NULL,
  record   BLOB NOT NULL,           -- JSON
  problems BLOB NOT NULL,           -- JSON
  evidence BLOB NOT NULL,           -- JSON
  trace    BLOB NOT NULL,           -- JSON: the steps that led here
  risk     BLOB,                    -- JSON: from 0 to 1, by path
  PRIMARY KEY(run, n)
) WITHOUT ROWID;
