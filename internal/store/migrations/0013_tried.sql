-- +goose Up
ALTER TABLE runs ADD COLUMN tried TEXT NOT NULL DEFAULT ''; -- JSON: what the run draws on beside the corpus, and what it does without

-- +goose Down
ALTER TABLE runs DROP COLUMN tried;
