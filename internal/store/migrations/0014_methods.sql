-- +goose Up
CREATE TABLE methods ( -- what the draft's settings were, change by change
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  number INTEGER NOT NULL,        -- from 0, which is what they were before the first change
  at TEXT NOT NULL,
  why TEXT NOT NULL,
  evidence TEXT NOT NULL,         -- JSON: what speaks for the change; empty for nothing
  method BLOB NOT NULL,           -- JSON, compressed
  PRIMARY KEY (corpus_id, number)
);

-- +goose Down
DROP TABLE methods;
