-- +goose Up
ALTER TABLE connections ADD COLUMN wait INTEGER NOT NULL DEFAULT 0; -- seconds that a language model is waited for with one call; 0 for the usual

-- +goose Down
ALTER TABLE connections DROP COLUMN wait;
