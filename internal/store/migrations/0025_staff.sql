-- +goose Up
ALTER TABLE releases ADD COLUMN documents BLOB; -- gzip of JSON: the documents it was made of, to build its index anew; none for those made before
CREATE TABLE withdrawn ( -- documents that were removed while releases held them
  corpus_id TEXT NOT NULL,
  document_id TEXT NOT NULL,
  PRIMARY KEY (corpus_id, document_id)
) WITHOUT ROWID;
-- +goose StatementBegin
CREATE TRIGGER documents_withdrawn AFTER DELETE ON documents WHEN EXISTS (SELECT 1 FROM releases WHERE corpus_id = OLD.corpus_id) BEGIN
  INSERT OR IGNORE INTO withdrawn (corpus_id, document_id) VALUES (OLD.corpus_id, OLD.id);
END;
-- +goose StatementEnd
CREATE INDEX documents_by_own_audience ON documents(corpus_id, own_audience) WHERE own_audience <> '';
ALTER TABLE served ADD COLUMN identity BLOB; -- sealed JSON: by which key sites say who asks
CREATE TABLE handovers ( -- conversations that wait for a person, or are with one
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  conversation_id TEXT NOT NULL REFERENCES conversations(id) ON DELETE CASCADE,
  rule TEXT NOT NULL,                 -- name of the house rule
  team TEXT NOT NULL,
  purpose TEXT NOT NULL,
  who TEXT NOT NULL,                  -- name that the site gives of who asked; '' when it gives none
  state TEXT NOT NULL,                -- waiting, taken, closed
  taken_by TEXT NOT NULL DEFAULT '',
  opened_at TEXT NOT NULL,
  changed_at TEXT NOT NULL
);
CREATE UNIQUE INDEX handovers_open ON handovers(conversation_id) WHERE state <> 'closed';
CREATE INDEX handovers_by_state ON handovers(corpus_id, state, opened_at);
CREATE TABLE handover_lines ( -- what was said after it
  id INTEGER PRIMARY KEY,
  handover_id TEXT NOT NULL REFERENCES handovers(id) ON DELETE CASCADE,
  author TEXT NOT NULL,               -- staff, visitor
  name TEXT NOT NULL,                 -- of the person; '' for visitors
  text TEXT NOT NULL,
  mailed INTEGER NOT NULL DEFAULT 0,
  at TEXT NOT NULL
);
CREATE INDEX handover_lines_of ON handover_lines(handover_id, id);

-- +goose Down
DROP TABLE handover_lines; DROP TABLE handovers;
DROP INDEX documents_by_own_audience; DROP TRIGGER documents_withdrawn; DROP TABLE withdrawn;
ALTER TABLE releases DROP COLUMN documents; ALTER TABLE served DROP COLUMN identity;
