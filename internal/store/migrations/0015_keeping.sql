-- +goose Up
CREATE INDEX findings_by_document ON findings(document_id);
CREATE INDEX findings_by_other ON findings(other_id) WHERE other_id <> '';
CREATE INDEX document_versions_by_version ON document_versions(version);
CREATE INDEX jobs_by_corpus ON jobs(corpus_id, created_at);
CREATE INDEX runs_by_corpus ON runs(corpus_id, created_at);
CREATE INDEX studies_by_set ON studies(set_id, created_at);
CREATE INDEX notices_in_sending ON notices(at) WHERE state = 'sending';
CREATE INDEX replies_by_question ON replies(corpus_id, question COLLATE NOCASE);
ALTER TABLE replies ADD COLUMN format INTEGER NOT NULL DEFAULT 1; -- of the trail
ALTER TABLE results ADD COLUMN format INTEGER NOT NULL DEFAULT 1; -- of the trail
ALTER TABLE runs ADD COLUMN count INTEGER NOT NULL DEFAULT 0;     -- of its questions
UPDATE runs SET count = json_array_length(questions);
-- A run names a version of its set; its questions stand with that version once.
UPDATE runs SET questions = '' WHERE EXISTS (SELECT 1 FROM set_versions v WHERE v.set_id = runs.set_id AND v.version = runs.set_version);

-- +goose Down
ALTER TABLE runs DROP COLUMN count;
ALTER TABLE results DROP COLUMN format;
ALTER TABLE replies DROP COLUMN format;
DROP INDEX replies_by_question;
DROP INDEX notices_in_sending;
DROP INDEX studies_by_set;
DROP INDEX runs_by_corpus;
DROP INDEX jobs_by_corpus;
DROP INDEX document_versions_by_version;
DROP INDEX findings_by_other;
DROP INDEX findings_by_document;
