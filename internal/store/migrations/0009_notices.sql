-- +goose Up
CREATE TABLE notices ( -- what house rules had to tell somebody: details, hand-overs, alerts
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  kind TEXT NOT NULL,             -- details, handOver, alert
  rule TEXT NOT NULL,
  name TEXT NOT NULL,             -- of the rule
  purpose TEXT NOT NULL,
  recipient TEXT NOT NULL,        -- team, mail address or webhook; empty for details
  told TEXT NOT NULL,             -- JSON: name and value of each detail
  talk TEXT NOT NULL,             -- JSON: the conversation
  surface TEXT NOT NULL,
  reply_id TEXT NOT NULL,
  state TEXT NOT NULL,            -- kept, sending, sent, failed
  problem TEXT NOT NULL DEFAULT '',
  at TEXT NOT NULL
);
CREATE INDEX notices_by_time ON notices(corpus_id, at);

-- +goose Down
DROP TABLE notices;
