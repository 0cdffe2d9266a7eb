-- +goose Up
ALTER TABLE documents ADD COLUMN revisit INTEGER NOT NULL DEFAULT 0; -- 1: in the frontier again, to see whether it changed
CREATE INDEX documents_to_revisit ON documents(source_id) WHERE revisit = 1;

-- +goose Down
DROP INDEX documents_to_revisit;
ALTER TABLE documents DROP COLUMN revisit;
