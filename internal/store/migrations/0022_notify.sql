-- +goose Up
CREATE TABLE subscriptions ( -- who is told of what, by mail or webhook
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  recipient TEXT NOT NULL,          -- mail address, or address of a webhook
  kinds TEXT NOT NULL,              -- unanswered, alerts, snags, visits, digest; one a line
  pace TEXT NOT NULL,               -- once, hour, day
  hour INTEGER NOT NULL,            -- of the day, for what comes daily
  quiet_from INTEGER NOT NULL,      -- hours in which nothing is sent; the same for none
  quiet_to INTEGER NOT NULL,
  zone TEXT NOT NULL,               -- IANA name
  most INTEGER NOT NULL,            -- messages a day; what is over waits for the next day
  sealed BLOB,                      -- secret that webhooks are signed with
  created_at TEXT NOT NULL,
  seen_at TEXT NOT NULL,            -- up to when it was told of
  digest_on TEXT NOT NULL DEFAULT ''-- the last day whose digest was made
);
CREATE TABLE deliveries (
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  subscription_id TEXT NOT NULL,    -- '' for a reply to an asker
  recipient TEXT NOT NULL,
  kind TEXT NOT NULL,               -- news, digest, reply
  subject TEXT NOT NULL,
  body TEXT NOT NULL,               -- text of a mail; JSON of a webhook
  state TEXT NOT NULL,              -- waiting, sent, failed
  tries INTEGER NOT NULL DEFAULT 0,
  due_at TEXT NOT NULL,
  problem TEXT NOT NULL DEFAULT '',
  created_at TEXT NOT NULL,
  sent_at TEXT NOT NULL DEFAULT ''
);
CREATE INDEX deliveries_due ON deliveries(state, due_at);
CREATE INDEX deliveries_by_time ON deliveries(corpus_id, created_at);

-- +goose Down
DROP TABLE deliveries; DROP TABLE subscriptions;
