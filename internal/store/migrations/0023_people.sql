-- +goose Up
CREATE TABLE people (
  id TEXT PRIMARY KEY,
  name TEXT NOT NULL,
  mail TEXT NOT NULL COLLATE NOCASE UNIQUE,
  password TEXT NOT NULL DEFAULT '',  -- argon2id, in the PHC string form; '' for none
  issuer TEXT NOT NULL DEFAULT '',    -- OpenID issuer and subject, once signed in by them
  subject TEXT NOT NULL DEFAULT '',
  owner INTEGER NOT NULL DEFAULT 0,   -- of the whole installation
  created_at TEXT NOT NULL,
  seen_at TEXT NOT NULL DEFAULT '',
  ended_at TEXT NOT NULL DEFAULT ''   -- may not come in any more
);
CREATE UNIQUE INDEX people_by_subject ON people(issuer, subject) WHERE subject <> '';
CREATE TABLE roles (
  person_id TEXT NOT NULL REFERENCES people(id) ON DELETE CASCADE,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  role TEXT NOT NULL,                 -- see, judge, write, release, own
  PRIMARY KEY (person_id, corpus_id)
) WITHOUT ROWID;
CREATE TABLE invitations ( -- links by which somebody becomes a person here, or sets a new password
  id TEXT PRIMARY KEY,
  token TEXT NOT NULL UNIQUE,         -- SHA-256 of what the link carries
  person_id TEXT NOT NULL DEFAULT '', -- whose password it sets; '' for somebody new
  mail TEXT NOT NULL COLLATE NOCASE,  -- '' for whoever has the link
  owner INTEGER NOT NULL DEFAULT 0,
  corpus_id TEXT NOT NULL DEFAULT '', -- and the role there
  role TEXT NOT NULL DEFAULT '',
  invited_by TEXT NOT NULL,
  created_at TEXT NOT NULL,
  expires_at TEXT NOT NULL,
  used_at TEXT NOT NULL DEFAULT ''
);
CREATE TABLE sessions (
  token TEXT PRIMARY KEY,             -- SHA-256 of what the cookie carries
  id TEXT NOT NULL,
  person_id TEXT NOT NULL,            -- '' before somebody has signed in
  data BLOB NOT NULL,
  agent TEXT NOT NULL,
  address TEXT NOT NULL,
  began_at TEXT NOT NULL,
  seen_at TEXT NOT NULL,
  expires_at TEXT NOT NULL
) WITHOUT ROWID;
CREATE INDEX sessions_by_person ON sessions(person_id);
CREATE TABLE audit ( -- who did what to what; each entry's hash covers the one before it
  seq INTEGER PRIMARY KEY,
  at TEXT NOT NULL,
  person_id TEXT NOT NULL,
  who TEXT NOT NULL,
  via TEXT NOT NULL,                  -- session, machine, command, visitor, program
  address TEXT NOT NULL,
  corpus_id TEXT NOT NULL,            -- kept when the corpus is gone
  corpus TEXT NOT NULL,
  operation TEXT NOT NULL,
  target TEXT NOT NULL,
  changes TEXT NOT NULL,              -- JSON: what was before and after
  outcome TEXT NOT NULL,              -- done, refused, failed
  prev TEXT NOT NULL,
  hash TEXT NOT NULL
);
CREATE INDEX audit_by_corpus ON audit(corpus_id, seq);

-- +goose Down
DROP TABLE audit; DROP TABLE sessions; DROP TABLE invitations; DROP TABLE roles; DROP TABLE people;
