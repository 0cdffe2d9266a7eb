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

-- +goose Down
DROP INDEX documents_by_own_audience; DROP TRIGGER documents_withdrawn; DROP TABLE withdrawn;
ALTER TABLE releases DROP COLUMN documents;
