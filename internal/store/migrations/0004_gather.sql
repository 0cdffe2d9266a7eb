-- +goose Up
ALTER TABLE sources ADD COLUMN name TEXT NOT NULL DEFAULT '';        -- what people call it, '' for its address
ALTER TABLE sources ADD COLUMN schedule TEXT NOT NULL DEFAULT 'hand'; -- hand, hour, day, week
ALTER TABLE sources ADD COLUMN next_at TEXT NOT NULL DEFAULT '';     -- when the schedule is due, '' for never
ALTER TABLE sources ADD COLUMN visited_at TEXT NOT NULL DEFAULT '';  -- end of the last whole visit
ALTER TABLE sources ADD COLUMN chosen INTEGER NOT NULL DEFAULT 0;    -- 1: a person has chosen among what was found
ALTER TABLE sources ADD COLUMN notices TEXT NOT NULL DEFAULT '[]';   -- JSON: what the last visit has to say, such as a trap
ALTER TABLE sources ADD COLUMN marks TEXT NOT NULL DEFAULT '';       -- a set: unquotable, given, volatile
ALTER TABLE documents ADD COLUMN choice TEXT NOT NULL DEFAULT 'in';  -- in, out, open: not decided
ALTER TABLE documents ADD COLUMN own_audience TEXT NOT NULL DEFAULT ''; -- '' for its source's
ALTER TABLE documents ADD COLUMN own_marks TEXT;                     -- NULL for its source's
ALTER TABLE documents ADD COLUMN media TEXT NOT NULL DEFAULT '';     -- the clip that a transcript belongs to
ALTER TABLE documents ADD COLUMN lastmod TEXT NOT NULL DEFAULT '';   -- as the sitemap or feed has it
ALTER TABLE documents ADD COLUMN clutter TEXT NOT NULL DEFAULT '';   -- a set of words: basket, pagination, near-empty
CREATE INDEX documents_to_choose ON documents(source_id) WHERE choice = 'open';
CREATE INDEX sources_due ON sources(next_at) WHERE next_at <> '';
ALTER TABLE documents ADD COLUMN read_by TEXT NOT NULL DEFAULT ''; -- version of the extraction that the last body went through
ALTER TABLE documents ADD COLUMN gone_at TEXT NOT NULL DEFAULT ''; -- when it left the index, '' while it is in
CREATE TABLE originals (            -- files as they were handed over
  document_id TEXT PRIMARY KEY REFERENCES documents(id) ON DELETE CASCADE,
  media_type TEXT NOT NULL,
  body BLOB NOT NULL                -- zstd
);
CREATE TABLE findings (             -- what content checks found
  id TEXT PRIMARY KEY,              -- hash of what it says, so that a second check finds the same one
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  document_id TEXT NOT NULL REFERENCES documents(id) ON DELETE CASCADE,
  version TEXT NOT NULL,
  kind TEXT NOT NULL,
  severity INTEGER NOT NULL,        -- 1 low, 2 medium, 3 high
  start INTEGER NOT NULL,
  end INTEGER NOT NULL,
  passage TEXT NOT NULL,
  detail TEXT NOT NULL,
  other_id TEXT NOT NULL DEFAULT '',
  other_start INTEGER NOT NULL DEFAULT 0,
  other_end INTEGER NOT NULL DEFAULT 0,
  other_passage TEXT NOT NULL DEFAULT '',
  dismissed INTEGER NOT NULL DEFAULT 0,
  found_at TEXT NOT NULL
);
CREATE INDEX findings_by_corpus ON findings(corpus_id, severity DESC);

-- +goose Down
DROP TABLE findings;
DROP TABLE originals;
ALTER TABLE documents DROP COLUMN gone_at;
ALTER TABLE documents DROP COLUMN read_by;
DROP INDEX sources_due;
DROP INDEX documents_to_choose;
ALTER TABLE documents DROP COLUMN clutter;
ALTER TABLE documents DROP COLUMN lastmod;
ALTER TABLE documents DROP COLUMN media;
ALTER TABLE documents DROP COLUMN own_marks;
ALTER TABLE documents DROP COLUMN own_audience;
ALTER TABLE documents DROP COLUMN choice;
ALTER TABLE sources DROP COLUMN marks;
ALTER TABLE sources DROP COLUMN notices;
ALTER TABLE sources DROP COLUMN chosen;
ALTER TABLE sources DROP COLUMN visited_at;
ALTER TABLE sources DROP COLUMN next_at;
ALTER TABLE sources DROP COLUMN schedule;
ALTER TABLE sources DROP COLUMN name;
