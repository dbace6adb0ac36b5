package schema

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const boatsSQL = `-- the hire book
CREATE TABLE public.hires (
  id bigserial PRIMARY KEY,
  ticket varchar(12) NOT NULL, -- Number of the ticket, at the top.
  "hired on" date NOT NULL,
  back_at timestamp with time zone,
  hours int CHECK (hours > 0 AND hours <= 12),
  deposit numeric(8, 2) DEFAULT 0.00 CHECK (deposit >= 0),
  weather text CHECK (weather IN ('calm', 'windy', 'rain''s')),
  paid boolean NOT NULL DEFAULT false,
  remarks text[],
  more jsonb /* whatever else
  is written */
);
COMMENT ON TABLE hires IS 'One hire of boats.';
create table boats (
  hire_id bigint references hires (id) on delete cascade,
  name text not null,
  kind ENUM('punt', 'skiff') COMMENT 'What it is.',
  length real,
  PRIMARY KEY (hire_id, name),
  CONSTRAINT long_enough CHECK (length BETWEEN 2 AND 9),
  CHECK (length > 2 OR kind = 'punt'),
  UNIQUE (name)
);
COMMENT ON COLUMN boats.name IS 'Name, as painted.';
CREATE INDEX boats_name ON boats (name);
CREATE TABLE damages (
  hire_id bigint NOT NULL,
  boat text NOT NULL REFERENCES boats (name),
  code char(2),
  odd tsvector,
  FOREIGN KEY (hire_id) REFERENCES hires (id)
);
INSERT INTO boats VALUES ('(');
`

// Tables become what a record holds: the one that all others lead to is the record.
func TestImportSQL(t *testing.T) {
	s, notes, err := ImportSQL("db/book.sql", []byte(boatsSQL))
	require.NoError(t, err)
	assert.Equal(t, `schema: hires
about: One hire of boats.
fields:
  ticket: {text: "Number of the ticket, at the top.", required: true, max: 12}
  hired_on: {date: Hired on., required: true}
  back_at: {datetime: Back at.}
  hours: {integer: Hours., min: 1, max: 12}
  deposit: {number: Deposit., min: 0}
  weather: {choice: Weather., of: {calm: {}, windy: {}, rain's: {}}}
  paid: {boolean: Paid., required: true}
  remarks: {list: Remarks., items: {text: One of them.}}
  more: {any: More.}
  boats:
    list: Boats.
    key: [name]
    fields:
      name: {text: "Name, as painted.", required: true}
      kind: {choice: What it is., of: {punt: {}, skiff: {}}}
      length: {number: Length., min: 2, max: 9}
  damages:
    list: Damages.
    fields:
      boat: {link: Boat., required: true, to: ["boats[].name"]}
      code: {text: Code., max: 2}
      odd: {text: Odd.}
`, string(s.Source))
	all := strings.Join(notes, "\n")
	for _, says := range []string{"hires.id: left out, the database counts it", "boats.hire_id: left out, it leads to hires, which is the record", "damages.hire_id: left out", "odd: the type tsvector is not known", "boats: a condition on several columns"} {
		assert.Contains(t, all, says)
	}
}

func TestImportSQLRefuses(t *testing.T) {
	for text, says := range map[string]string{
		"SELECT 1;": "there is no CREATE TABLE in it", "CREATE TABLE a (b text": "the table has no end", "CREATE TABLE (b text);": "without a name and columns",
		"CREATE TABLE a (b text, B int);": `the column "B" of a is here twice`, "CREATE TABLE a (b text); CREATE TABLE a (c text);": `the table "a" is made twice`,
		"CREATE TABLE a (b text CHECK (b IN ('x);": "has no end", "CREATE TABLE a (id serial primary key);": "no column of it can be a field", "CREATE TABLE a (/* b text);": "has no end",
		"CREATE TABLE a (5 text);": `"5" is no column`,
	} {
		_, _, err := ImportSQL("x.sql", []byte(text))
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), says, text)
		assert.NotContains(t, err.Error(), "\n", text)
	}
}

func FuzzImportSQL(f *testing.F) {
	f.Add(boatsSQL)
	f.Add("CREATE TABLE a (b text CHECK (b = ANY (ARRAY['x'::text, 'y'::text])))")
	f.Fuzz(func(t *testing.T, text string) {
		s, _, err := ImportSQL("x.sql", []byte(text))
		if err == nil {
			_, err = Parse("x.yaml", s.Source)
			require.NoError(t, err)
		}
	})
}
