-- +goose Up
CREATE TABLE served ( -- how one corpus is served to visitors
  corpus_id TEXT PRIMARY KEY REFERENCES corpora(id) ON DELETE CASCADE,
  place TEXT NOT NULL UNIQUE,         -- its random public name
  release_id TEXT NOT NULL DEFAULT '',-- what visitors get; '' for the newest
  settings TEXT NOT NULL              -- JSON: the widget's look, domains, memory, pause
);
CREATE TABLE gates ( -- what a set must pass before a release
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  set_id TEXT NOT NULL REFERENCES question_sets(id) ON DELETE CASCADE,
  floor REAL NOT NULL,                -- least share that passes, 0 to 1
  PRIMARY KEY (corpus_id, set_id)
) WITHOUT ROWID;
ALTER TABLE releases ADD COLUMN made_by TEXT NOT NULL DEFAULT '';
ALTER TABLE releases ADD COLUMN gate TEXT NOT NULL DEFAULT '';     -- JSON: what the gate said
ALTER TABLE releases ADD COLUMN overruled TEXT NOT NULL DEFAULT '';-- why it was made against the gate
ALTER TABLE conversations ADD COLUMN release_id TEXT NOT NULL DEFAULT ''; -- with which it began; '' for the draft
CREATE TABLE links ( -- addresses at which somebody who is not signed in can ask
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  token TEXT NOT NULL UNIQUE,         -- SHA-256 of what the address carries
  name TEXT NOT NULL,
  draft INTEGER NOT NULL,             -- for testers: reaches the draft, and conversations are tests
  word TEXT NOT NULL,                 -- SHA-256 of a word to be entered; '' for none
  ends_at TEXT NOT NULL,              -- '' for never
  most INTEGER NOT NULL,              -- questions in all; 0 for no bound
  used INTEGER NOT NULL DEFAULT 0,
  made_by TEXT NOT NULL,
  created_at TEXT NOT NULL,
  ended_at TEXT NOT NULL DEFAULT ''
);
CREATE TABLE keys ( -- by which programs ask
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  hash TEXT NOT NULL UNIQUE,          -- SHA-256 of the key
  name TEXT NOT NULL,
  start TEXT NOT NULL,                -- its first letters, to tell it by
  scopes TEXT NOT NULL,               -- ask, find; one a line
  per_minute INTEGER NOT NULL,
  made_by TEXT NOT NULL,
  created_at TEXT NOT NULL,
  used_at TEXT NOT NULL DEFAULT '',
  ended_at TEXT NOT NULL DEFAULT ''
);

-- +goose Down
DROP TABLE keys; DROP TABLE links; DROP TABLE gates; DROP TABLE served;
ALTER TABLE conversations DROP COLUMN release_id;
ALTER TABLE releases DROP COLUMN made_by; ALTER TABLE releases DROP COLUMN gate; ALTER TABLE releases DROP COLUMN overruled;
