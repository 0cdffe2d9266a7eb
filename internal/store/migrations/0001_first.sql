-- +goose Up
CREATE TABLE corpora (
  id TEXT PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  method TEXT NOT NULL,             -- JSON: the draft's settings
  created_at TEXT NOT NULL
);
CREATE TABLE sources (
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  kind TEXT NOT NULL,               -- site, upload
  address TEXT NOT NULL,
  audience TEXT NOT NULL DEFAULT 'public',
  settings TEXT NOT NULL DEFAULT '{}',
  created_at TEXT NOT NULL,
  UNIQUE (corpus_id, kind, address)
);
-- A document row is also the frontier of the crawl: what is 'waiting' is still to be fetched.
CREATE TABLE documents (
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  source_id TEXT NOT NULL REFERENCES sources(id) ON DELETE CASCADE,
  key TEXT NOT NULL,                -- normalised address, unique in its source
  address TEXT NOT NULL,
  title TEXT NOT NULL DEFAULT '',
  state TEXT NOT NULL,              -- waiting, fetched, indexed, unchanged, left out, failed
  reason TEXT NOT NULL DEFAULT '',
  version TEXT NOT NULL DEFAULT '', -- hash in versions, '' before the first
  media_type TEXT NOT NULL DEFAULT '',
  status INTEGER NOT NULL DEFAULT 0,
  bytes INTEGER NOT NULL DEFAULT 0,
  words INTEGER NOT NULL DEFAULT 0,
  attempts INTEGER NOT NULL DEFAULT 0,
  depth INTEGER NOT NULL DEFAULT 0,
  found_on TEXT NOT NULL DEFAULT '',
  etag TEXT NOT NULL DEFAULT '',
  last_modified TEXT NOT NULL DEFAULT '',
  found_at TEXT NOT NULL,
  changed_at TEXT NOT NULL,
  UNIQUE (source_id, key)
);
CREATE INDEX documents_by_state ON documents(corpus_id, state);
CREATE INDEX documents_by_source ON documents(source_id, state, depth);
CREATE INDEX documents_by_version ON documents(version);
CREATE TABLE versions (
  hash TEXT PRIMARY KEY,
  body BLOB NOT NULL,               -- the canonical document, JSON, zstd
  created_at TEXT NOT NULL
);
CREATE TABLE document_versions (    -- history: which versions a document has had
  document_id TEXT NOT NULL REFERENCES documents(id) ON DELETE CASCADE,
  version TEXT NOT NULL REFERENCES versions(hash),
  fetched_at TEXT NOT NULL,
  PRIMARY KEY (document_id, version)
);
CREATE TABLE manifests (
  corpus_id TEXT PRIMARY KEY REFERENCES corpora(id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  body TEXT NOT NULL,
  updated_at TEXT NOT NULL
);
CREATE TABLE jobs (
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  kind TEXT NOT NULL,               -- gather, rebuild, run
  target TEXT NOT NULL DEFAULT '',  -- source or run
  state TEXT NOT NULL,              -- queued, running, done, failed, cancelled
  done INTEGER NOT NULL DEFAULT 0,
  total INTEGER NOT NULL DEFAULT 0,
  note TEXT NOT NULL DEFAULT '',
  error TEXT NOT NULL DEFAULT '',
  attempts INTEGER NOT NULL DEFAULT 0,
  lease_until TEXT NOT NULL DEFAULT '',
  created_at TEXT NOT NULL,
  started_at TEXT NOT NULL DEFAULT '',
  ended_at TEXT NOT NULL DEFAULT ''
);
CREATE INDEX jobs_by_state ON jobs(state, created_at);
CREATE TABLE events (
  seq INTEGER PRIMARY KEY AUTOINCREMENT,
  corpus_id TEXT NOT NULL,
  kind TEXT NOT NULL,
  body TEXT NOT NULL,
  at TEXT NOT NULL
);
CREATE TABLE question_sets (
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  version TEXT NOT NULL,            -- hash of its questions
  created_at TEXT NOT NULL,
  UNIQUE (corpus_id, name)
);
CREATE TABLE questions (
  set_id TEXT NOT NULL REFERENCES question_sets(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  id TEXT NOT NULL,
  body TEXT NOT NULL,               -- JSON
  PRIMARY KEY (set_id, id)
);
CREATE TABLE runs (
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  set_id TEXT NOT NULL REFERENCES question_sets(id) ON DELETE CASCADE,
  set_version TEXT NOT NULL,
  questions TEXT NOT NULL,          -- JSON: the questions as they were
  method TEXT NOT NULL,             -- JSON: the settings as they were
  pins TEXT NOT NULL DEFAULT '{}',
  summary TEXT NOT NULL DEFAULT '',
  created_at TEXT NOT NULL,
  ended_at TEXT NOT NULL DEFAULT ''
);
CREATE INDEX runs_by_set ON runs(set_id, created_at);
CREATE TABLE results (
  run_id TEXT NOT NULL REFERENCES runs(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  question_id TEXT NOT NULL,
  verdict TEXT NOT NULL,
  trail BLOB,
  millis REAL NOT NULL,
  failed TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (run_id, question_id)
);
CREATE TABLE replies (
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  surface TEXT NOT NULL,
  outcome TEXT NOT NULL,
  question TEXT NOT NULL,
  trail BLOB NOT NULL,
  at TEXT NOT NULL
);
CREATE INDEX replies_by_time ON replies(corpus_id, at);

-- +goose Down
DROP TABLE replies; DROP TABLE results; DROP TABLE runs; DROP TABLE questions; DROP TABLE question_sets; DROP TABLE events;
DROP TABLE jobs; DROP TABLE manifests; DROP TABLE document_versions; DROP TABLE versions; DROP TABLE documents; DROP TABLE sources; DROP TABLE corpora;
