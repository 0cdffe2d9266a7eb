-- +goose Up
-- What a visit would make of documents that are in. It is settled when the visit has ended: see gathering's guard against loss.
CREATE TABLE held (
  document_id TEXT PRIMARY KEY REFERENCES documents(id) ON DELETE CASCADE,
  source_id TEXT NOT NULL REFERENCES sources(id) ON DELETE CASCADE,
  outcome TEXT NOT NULL,              -- JSON, without its content
  hash TEXT NOT NULL,                 -- of the new version; '' when there is none
  decided TEXT NOT NULL DEFAULT '',   -- take, keep; '' while nobody has decided
  refused TEXT NOT NULL DEFAULT '',   -- version that a person refused before
  at TEXT NOT NULL
);
CREATE INDEX held_by_source ON held(source_id);
CREATE INDEX held_by_hash ON held(hash) WHERE hash <> '';
ALTER TABLE sources ADD COLUMN held_since TEXT NOT NULL DEFAULT '';    -- since when changes wait for a person; '' when none do
ALTER TABLE sources ADD COLUMN held_why TEXT NOT NULL DEFAULT '';      -- JSON: what the guard saw
ALTER TABLE sources ADD COLUMN trouble TEXT NOT NULL DEFAULT '';       -- what kept the last visit from reaching the source
ALTER TABLE sources ADD COLUMN trouble_since TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE sources DROP COLUMN trouble_since;
ALTER TABLE sources DROP COLUMN trouble;
ALTER TABLE sources DROP COLUMN held_why;
ALTER TABLE sources DROP COLUMN held_since;
DROP TABLE held;
