-- +goose Up
CREATE TABLE channels ( -- messaging services and mail addresses at which a corpus answers
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  kind TEXT NOT NULL,                    -- messages, mail
  name TEXT NOT NULL,
  settings TEXT NOT NULL,                -- JSON
  sealed BLOB NOT NULL,                  -- the secret that both sides sign with
  made_by TEXT NOT NULL,
  created_at TEXT NOT NULL
);
CREATE INDEX channels_of ON channels(corpus_id, created_at);
CREATE TABLE channel_threads ( -- what belongs together there; it is answered as one conversation until nothing was said for long
  id INTEGER PRIMARY KEY,
  channel_id TEXT NOT NULL REFERENCES channels(id) ON DELETE CASCADE,
  thread TEXT NOT NULL,                  -- as the service calls it; of mail, the id of its first message
  conversation_id TEXT REFERENCES conversations(id) ON DELETE CASCADE,
  who TEXT NOT NULL,                     -- name of who writes; '' when it is not told
  address TEXT NOT NULL,                 -- of who writes: a mail address, or the service's name for them
  subject TEXT NOT NULL DEFAULT '',      -- of mail
  last_message TEXT NOT NULL DEFAULT '', -- that came in
  last_at TEXT NOT NULL,
  paused_at TEXT NOT NULL DEFAULT '',    -- when it was said last that nobody is answered now
  UNIQUE (channel_id, thread)
);
CREATE INDEX channel_threads_by_conversation ON channel_threads(conversation_id);
CREATE TABLE channel_messages ( -- each is taken once, by its id
  place INTEGER PRIMARY KEY,
  channel_id TEXT NOT NULL REFERENCES channels(id) ON DELETE CASCADE,
  message TEXT NOT NULL,
  thread_id INTEGER NOT NULL REFERENCES channel_threads(id) ON DELETE CASCADE,
  state TEXT NOT NULL,                   -- waiting, answered, drafted, passed, dropped, failed; sent: ours
  text TEXT NOT NULL DEFAULT '',         -- while it waits
  problem TEXT NOT NULL DEFAULT '',
  tries INTEGER NOT NULL DEFAULT 0,
  due_at TEXT NOT NULL,
  at TEXT NOT NULL,
  UNIQUE (channel_id, message)
);
CREATE INDEX channel_messages_waiting ON channel_messages(due_at) WHERE state = 'waiting';
CREATE INDEX channel_messages_of ON channel_messages(thread_id, at);
ALTER TABLE deliveries ADD COLUMN channel_id TEXT NOT NULL DEFAULT ''; -- by which it goes out; '' for none
ALTER TABLE deliveries ADD COLUMN conversation_id TEXT NOT NULL DEFAULT ''; -- that it is said in; they go out one after the other
ALTER TABLE deliveries ADD COLUMN sender TEXT NOT NULL DEFAULT '';     -- of mail: the address that it comes from; '' for the usual
ALTER TABLE deliveries ADD COLUMN headers TEXT NOT NULL DEFAULT '';    -- of mail: further ones, JSON
ALTER TABLE deliveries ADD COLUMN sealed BLOB;                         -- of a channel: the secret to sign with
CREATE INDEX deliveries_said_in ON deliveries(conversation_id) WHERE conversation_id <> '';

-- +goose Down
DROP INDEX deliveries_said_in;
ALTER TABLE deliveries DROP COLUMN channel_id; ALTER TABLE deliveries DROP COLUMN conversation_id; ALTER TABLE deliveries DROP COLUMN sender; ALTER TABLE deliveries DROP COLUMN headers; ALTER TABLE deliveries DROP COLUMN sealed;
DROP TABLE channel_messages; DROP TABLE channel_threads; DROP TABLE channels;
