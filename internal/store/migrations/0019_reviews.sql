-- +goose Up
-- What a person says of the verdicts of a run: one row a question that was looked at.
CREATE TABLE reviews (
  run_id      TEXT NOT NULL REFERENCES runs(id) ON DELETE CASCADE,
  question_id TEXT NOT NULL,
  mark        TEXT NOT NULL,           -- right, wrong, doubtful
  note        TEXT NOT NULL DEFAULT '', -- what is to be done
  owner       TEXT NOT NULL DEFAULT '', -- by whom
  at          TEXT NOT NULL,
  PRIMARY KEY (run_id, question_id)
);

-- +goose Down
DROP TABLE reviews;
