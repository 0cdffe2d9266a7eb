-- +goose Up
ALTER TABLE connections ADD COLUMN dimensions INTEGER NOT NULL DEFAULT 0; -- of the vectors that an embeddings endpoint gives
ALTER TABLE connections ADD COLUMN tokens INTEGER NOT NULL DEFAULT 0;     -- that it has counted so far

-- +goose Down
ALTER TABLE connections DROP COLUMN tokens;
ALTER TABLE connections DROP COLUMN dimensions;
