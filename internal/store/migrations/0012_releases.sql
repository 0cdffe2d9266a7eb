-- +goose Up
CREATE TABLE releases ( -- a frozen method plus index
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  number INTEGER NOT NULL,
  note TEXT NOT NULL,
  method TEXT NOT NULL,           -- JSON
  snapshot TEXT NOT NULL,         -- name of the manifest
  manifest TEXT NOT NULL,         -- JSON: its files are kept as long as the release is
  at TEXT NOT NULL,
  UNIQUE (corpus_id, number)
);

-- +goose Down
DROP TABLE releases;
