-- +goose Up
-- The most that a run may spend on a model: 0 for no cap.
ALTER TABLE runs ADD COLUMN cap_tokens INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN cap_price REAL NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE runs DROP COLUMN cap_tokens;
ALTER TABLE runs DROP COLUMN cap_price;
