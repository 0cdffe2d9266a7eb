-- +goose Up
ALTER TABLE results ADD COLUMN cause TEXT NOT NULL DEFAULT '';  -- JSON: the diagnosis of a failure
ALTER TABLE studies ADD COLUMN plan TEXT NOT NULL DEFAULT '';   -- JSON: of a trial, what is tried
ALTER TABLE runs ADD COLUMN note TEXT NOT NULL DEFAULT '';      -- what was tried, in words; empty for the draft as it was
ALTER TABLE runs ADD COLUMN repeats INTEGER NOT NULL DEFAULT 1; -- how often each question is asked
CREATE TABLE set_versions ( -- what a question set was
  set_id TEXT NOT NULL REFERENCES question_sets(id) ON DELETE CASCADE,
  version TEXT NOT NULL,
  at TEXT NOT NULL,
  why TEXT NOT NULL,
  questions BLOB NOT NULL,        -- JSON, compressed
  PRIMARY KEY (set_id, version, at)
);

-- +goose Down
DROP TABLE set_versions;
ALTER TABLE runs DROP COLUMN repeats;
ALTER TABLE runs DROP COLUMN note;
ALTER TABLE studies DROP COLUMN plan;
ALTER TABLE results DROP COLUMN cause;
