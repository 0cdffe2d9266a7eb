-- +goose Up
CREATE TABLE retention ( -- for how many days what a corpus gathers besides its documents is kept; 0 for ever
  corpus_id TEXT PRIMARY KEY REFERENCES corpora(id) ON DELETE CASCADE,
  conversations INTEGER NOT NULL DEFAULT 0,
  runs INTEGER NOT NULL DEFAULT 0,
  versions INTEGER NOT NULL DEFAULT 0
);

-- +goose Down
DROP TABLE retention;
