-- +goose Up
-- The chart of a corpus with the questions of a set on it, as it was last drawn; key says of what.
CREATE TABLE charts (
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  set_id    TEXT NOT NULL REFERENCES question_sets(id) ON DELETE CASCADE,
  key       TEXT NOT NULL,
  body      BLOB NOT NULL,
  PRIMARY KEY (set_id)
);
CREATE INDEX charts_corpus ON charts (corpus_id);

-- +goose Down
DROP TABLE charts;
