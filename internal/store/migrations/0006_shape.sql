-- +goose Up
CREATE TABLE kept (                 -- how often what stands at a place was kept for a reply
  corpus_id TEXT NOT NULL REFERENCES corpora (id) ON DELETE CASCADE,
  document_id TEXT NOT NULL,
  version TEXT NOT NULL,
  start INTEGER NOT NULL,           -- bytes in the version's text
  stop INTEGER NOT NULL,
  times INTEGER NOT NULL,
  PRIMARY KEY (corpus_id, document_id, version, start, stop)
) WITHOUT ROWID;

CREATE TABLE studies (              -- what was measured over a question set besides its verdicts: ablation, fit
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora (id) ON DELETE CASCADE,
  kind TEXT NOT NULL,
  set_id TEXT NOT NULL REFERENCES question_sets (id) ON DELETE CASCADE,
  set_version TEXT NOT NULL,
  method TEXT NOT NULL,             -- the settings it was measured with
  snapshot TEXT NOT NULL DEFAULT '',-- the index it was measured on
  outcome TEXT NOT NULL DEFAULT '', -- JSON; empty until it has ended
  created_at TEXT NOT NULL,
  ended_at TEXT NOT NULL DEFAULT ''
);
CREATE INDEX studies_by_corpus ON studies (corpus_id, created_at);

-- +goose Down
DROP TABLE studies;
DROP TABLE kept;
