-- Bodies are packed (package packed). A hash is 32 bytes of SHA-256. Texts that PostgreSQL
-- does not take (with a zero byte, or not UTF-8) are kept as \x01 and base64.
CREATE TABLE blob(
  hash bytea PRIMARY KEY,
  body bytea NOT NULL
);
-- Packed already: another compression gains nothing.
ALTER TABLE blob ALTER COLUMN body SET STORAGE EXTERNAL;

CREATE TABLE run(
  id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, -- a number is not given twice
  name     text NOT NULL,
  scope    text NOT NULL,         -- how its documents were chosen
  of       bigint NOT NULL,       -- how many documents the project had then; 0: no project
  schema   bytea NOT NULL,        -- blob: the schema's source
  schema_file text NOT NULL,
  prompt   bytea NOT NULL,        -- blob: the prompt without a document
  model    text NOT NULL,
  identity text NOT NULL,         -- what the cache knows the model by
  rounds   bigint NOT NULL,
  settings text NOT NULL,         -- JSON: what the prompt was made by, and what workers need
  job      text NOT NULL,         -- of the project; taken from settings
  aside    boolean NOT NULL,      -- likewise: made for another end than records
  shared   boolean NOT NULL,      -- likewise: any worker may take part
  state    text NOT NULL,         -- going, done, stopped, waiting
  began    timestamptz NOT NULL DEFAULT now(),
  seconds  double precision NOT NULL DEFAULT 0,
  budget   bigint NOT NULL DEFAULT 0, -- what it may cost, in billionths; 0: no limit
  gone     bigint NOT NULL DEFAULT 0  -- of the budget: what workers that left have spent
);

CREATE TABLE model(
  identity text PRIMARY KEY,
  shape    text NOT NULL          -- the strongest that the server takes
);

-- Who is at work: one row for each run that a process takes part in, and one with run 0 for
-- the requests that it sends. Renewed while it lives, by the clock of this server.
CREATE TABLE worker(
  id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  run     bigint NOT NULL,
  process text NOT NULL,          -- machine and number of the process
  host    text NOT NULL,          -- the machine's name, for people
  layout  integer NOT NULL,       -- the newest layout that its program knows
  since   timestamptz NOT NULL DEFAULT now(),
  until   timestamptz NOT NULL,
  done    bigint NOT NULL DEFAULT 0, -- records that it has kept
  granted bigint NOT NULL DEFAULT 0, -- of the budget: what it may spend, what it has spent included
  spent   bigint NOT NULL DEFAULT 0,
  short   boolean NOT NULL DEFAULT false -- it waits for money that others hold
);

CREATE TABLE task(
  run      bigint NOT NULL,
  n        integer NOT NULL,      -- place of the document in the run, from 0
  document text NOT NULL,
  file     text NOT NULL,
  text_sha256 bytea,              -- of the source text, once read
  file_sha256 bytea,              -- of the file it was read from
  copy     bytea,                 -- blob: the file's bytes, where they were copied
  done     boolean NOT NULL DEFAULT false,
  holder   bigint NOT NULL DEFAULT 0, -- the worker that is at it
  by       bigint NOT NULL DEFAULT 0, -- the worker that has done it
  deaths   smallint NOT NULL DEFAULT 0, -- workers that ended while they held it
  metadata text NOT NULL DEFAULT '{}', -- JSON object: what was known of the document before
  PRIMARY KEY(run, n)
) WITH (fillfactor = 70);
CREATE INDEX task_left ON task(run, n) WHERE NOT done;
CREATE INDEX task_holder ON task(holder) WHERE holder <> 0;

-- Requests on their way.
CREATE TABLE flight(
  key    bytea PRIMARY KEY,
  holder bigint NOT NULL,
  about  text NOT NULL DEFAULT ''  -- JSON: the exchange, once it has gone out
) WITH (fillfactor = 50);

CREATE TABLE exchange(
  id     bigint PRIMARY KEY,      -- given by whoever saves it, so that it may be saved again
  key    bytea NOT NULL,          -- hash of the model's identity and the body
  run    bigint NOT NULL,
  n      integer NOT NULL,
  step   text NOT NULL,           -- fill, repair 1, …
  try    integer NOT NULL,        -- from 1; 0: taken from the cache
  request bytea NOT NULL,         -- hashes of the body's parts, one behind the other
  status integer NOT NULL,        -- of HTTP; 0: no whole answer came
  reply  bytea NOT NULL,          -- blob: the answer's body
  error  text NOT NULL,
  finish text NOT NULL,
  tokens_in  bigint NOT NULL,
  tokens_out bigint NOT NULL,
  estimated  boolean NOT NULL,
  cost_nano  bigint NOT NULL,
  took_ms    bigint NOT NULL,
  at     timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX exchange_key ON exchange(key) WHERE status = 200 AND try > 0;
CREATE INDEX exchange_task ON exchange(run, n);
-- Each process takes ids of exchanges by the block.
CREATE SEQUENCE exchange_block;

CREATE TABLE record(
  run    bigint NOT NULL,
  n      integer NOT NULL,
  status text NOT NULL,
  body   bytea NOT NULL,          -- record, problems, evidence and risk as JSON
  trace  bytea NOT NULL,          -- JSON: the steps that led here
  PRIMARY KEY(run, n)
);
ALTER TABLE record ALTER COLUMN body SET STORAGE EXTERNAL;
ALTER TABLE record ALTER COLUMN trace SET STORAGE EXTERNAL;

-- Requests that went out in a file and wait for their replies.
CREATE TABLE open(
  run     bigint NOT NULL,
  key     bytea NOT NULL,         -- as that of an exchange
  n       integer NOT NULL,
  step    text NOT NULL,
  request bytea NOT NULL,         -- as that of an exchange
  terms   text NOT NULL,          -- JSON: what it is settled by
  asked   bigint NOT NULL,        -- milliseconds since 1970, when it was asked last
  PRIMARY KEY(run, key)
);
CREATE INDEX open_key ON open(key);

-- What people made of the record of a document.
CREATE TABLE review(
  schema   text NOT NULL,         -- its name
  document text NOT NULL,
  run      bigint NOT NULL,
  text_sha256 bytea NOT NULL,
  by       text NOT NULL,
  at       bigint NOT NULL,       -- milliseconds since 1970
  done     boolean NOT NULL,
  body     bytea NOT NULL,        -- packed: record, evidence, decisions and notes as JSON
  PRIMARY KEY(schema, document, text_sha256)
);

-- What all workers together may ask of a model's server.
CREATE TABLE pace(
  server   text PRIMARY KEY,
  next     timestamptz NOT NULL DEFAULT 'epoch', -- when the next request may go out
  bears    double precision NOT NULL, -- requests at once that the server seems to bear
  eased    timestamptz NOT NULL DEFAULT 'epoch'  -- when it last said that it is too much
);
-- Shares in it: of requests under way, and of the tokens of a minute.
CREATE TABLE share(
  server   text NOT NULL,
  worker   bigint NOT NULL,
  holds    integer NOT NULL,      -- requests that it may have under way
  wants    integer NOT NULL,      -- that it has under way, or waiting
  tokens   bigint NOT NULL,       -- of requests that are under way, at most
  PRIMARY KEY(server, worker)
) WITH (fillfactor = 50);
-- Tokens that came back, by the second in which they did: they count for a minute more.
CREATE TABLE minute(
  server text NOT NULL,
  second bigint NOT NULL,         -- since 1970
  tokens bigint NOT NULL,
  PRIMARY KEY(server, second)
) WITH (fillfactor = 50);
