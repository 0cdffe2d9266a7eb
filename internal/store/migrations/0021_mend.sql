-- +goose Up
CREATE TABLE conversations (
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  outside TEXT NOT NULL DEFAULT '', -- what an imported log calls it
  surface TEXT NOT NULL,
  audience TEXT NOT NULL,
  visitor TEXT NOT NULL DEFAULT '', -- a random name, or the one of the log
  page TEXT NOT NULL DEFAULT '',
  tests INTEGER NOT NULL,           -- 1 for those of people who work here
  began_at TEXT NOT NULL,
  last_at TEXT NOT NULL
);
CREATE INDEX conversations_by_time ON conversations(corpus_id, last_at);
CREATE INDEX conversations_by_visitor ON conversations(corpus_id, visitor);
CREATE UNIQUE INDEX conversations_by_outside ON conversations(corpus_id, outside) WHERE outside <> '';
CREATE TABLE snags (
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  kind TEXT NOT NULL,               -- unanswered, wrong, thumb, verdict, conflict
  title TEXT NOT NULL,              -- the wording most used
  state TEXT NOT NULL,              -- open, waiting, settled, dismissed
  owner TEXT NOT NULL DEFAULT '',
  note TEXT NOT NULL DEFAULT '',
  due TEXT NOT NULL DEFAULT '',     -- a day
  reason TEXT NOT NULL DEFAULT '',  -- why it was dismissed
  how TEXT NOT NULL DEFAULT '',     -- settled by: answer, source, set, change
  fact TEXT NOT NULL DEFAULT '',    -- what a person says is true
  document TEXT NOT NULL DEFAULT '',-- where it is to be mended, and
  seen TEXT NOT NULL DEFAULT '',    -- the version that the document had then
  before TEXT NOT NULL DEFAULT '',  -- JSON: what was said when it was settled, and
  after TEXT NOT NULL DEFAULT '',   -- what is said since
  cause TEXT NOT NULL DEFAULT '',   -- JSON: the diagnosis
  created_at TEXT NOT NULL,
  changed_at TEXT NOT NULL,
  ended_at TEXT NOT NULL DEFAULT '',
  version INTEGER NOT NULL DEFAULT 1
);
CREATE INDEX snags_by_state ON snags(corpus_id, state);
-- The texts come before what is seldom read, so that a search does not go through the whole of it.
CREATE TABLE exchanges (
  id TEXT PRIMARY KEY,              -- that of the reply whose trail is kept, when there is one
  conversation_id TEXT NOT NULL REFERENCES conversations(id) ON DELETE CASCADE,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  place INTEGER NOT NULL,
  at TEXT NOT NULL,
  tests INTEGER NOT NULL,
  surface TEXT NOT NULL,
  language TEXT NOT NULL DEFAULT '',
  outcome TEXT NOT NULL,            -- of answer.Outcome; '' when not known
  mark TEXT NOT NULL DEFAULT '',    -- right, wrong, doubtful
  thumb TEXT NOT NULL DEFAULT '',   -- up, down
  support REAL NOT NULL DEFAULT 0,
  question TEXT NOT NULL,
  alone TEXT NOT NULL DEFAULT '',   -- the question made to stand by itself, where it is another wording
  said TEXT NOT NULL,
  page TEXT NOT NULL DEFAULT '',
  rules TEXT NOT NULL DEFAULT '',   -- names of the house rules that fired, one a line
  cited TEXT NOT NULL DEFAULT '',   -- documents, one a line
  word TEXT NOT NULL DEFAULT '',    -- what the visitor wrote with the thumb
  note TEXT NOT NULL DEFAULT '',
  reviewed_at TEXT NOT NULL DEFAULT '',
  reviewer TEXT NOT NULL DEFAULT '',
  snag_id TEXT NOT NULL DEFAULT '', -- one it is gathered in
  sample_id TEXT NOT NULL DEFAULT '',
  trailed INTEGER NOT NULL DEFAULT 0,
  due INTEGER NOT NULL DEFAULT 0    -- 1 while it waits to be answered by the draft
);
-- These hold all that lists of counts ask for, so that rows are not read for them.
CREATE INDEX exchanges_by_time ON exchanges(corpus_id, tests, at, id, outcome, mark, thumb);
CREATE INDEX exchanges_by_surface ON exchanges(corpus_id, tests, surface);
CREATE INDEX exchanges_by_language ON exchanges(corpus_id, tests, language);
CREATE INDEX exchanges_by_rules ON exchanges(corpus_id, tests, rules);
CREATE INDEX exchanges_by_conversation ON exchanges(conversation_id, place);
CREATE INDEX exchanges_by_snag ON exchanges(snag_id, at, outcome, conversation_id);
CREATE INDEX exchanges_by_sample ON exchanges(sample_id) WHERE sample_id <> '';
CREATE INDEX exchanges_due ON exchanges(corpus_id) WHERE due = 1;
CREATE TABLE snag_items ( -- what a snag was made of besides exchanges: a verdict of a run, a conflict between sources
  snag_id TEXT NOT NULL REFERENCES snags(id) ON DELETE CASCADE,
  ref TEXT NOT NULL,
  question TEXT NOT NULL,
  at TEXT NOT NULL,
  PRIMARY KEY (snag_id, ref)
);
CREATE TABLE samples ( -- exchanges drawn by chance, to judge how often users are answered rightly
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  at TEXT NOT NULL,
  since TEXT NOT NULL,
  until TEXT NOT NULL,
  drawn INTEGER NOT NULL,
  of INTEGER NOT NULL               -- that could have been drawn
);
CREATE TABLE review_times ( -- when somebody said that all up to then is read
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  person TEXT NOT NULL,
  at TEXT NOT NULL,
  PRIMARY KEY (corpus_id, person)
);
CREATE TABLE settled ( -- settled answers; what is found of them is a document of the source of settled answers for each wording
  id TEXT PRIMARY KEY,
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  question TEXT NOT NULL,
  answer TEXT NOT NULL,
  wordings TEXT NOT NULL DEFAULT '',-- further ones, one a line
  owner TEXT NOT NULL DEFAULT '',
  expires TEXT NOT NULL DEFAULT '', -- a day, after which it is no longer given
  state TEXT NOT NULL,              -- inForce, expired, withdrawn
  version INTEGER NOT NULL,
  snag_id TEXT NOT NULL DEFAULT '', -- that it settled
  warning TEXT NOT NULL DEFAULT '', -- what a source says now
  created_at TEXT NOT NULL,
  changed_at TEXT NOT NULL
);
CREATE INDEX settled_by_corpus ON settled(corpus_id, state);
CREATE TABLE settled_versions (
  settled_id TEXT NOT NULL REFERENCES settled(id) ON DELETE CASCADE,
  version INTEGER NOT NULL,
  question TEXT NOT NULL,
  answer TEXT NOT NULL,
  wordings TEXT NOT NULL,
  owner TEXT NOT NULL,
  expires TEXT NOT NULL,
  state TEXT NOT NULL,
  at TEXT NOT NULL,
  PRIMARY KEY (settled_id, version)
);
INSERT INTO conversations (id, corpus_id, surface, audience, tests, began_at, last_at) SELECT id, corpus_id, surface, 'public', 1, at, at FROM replies;
INSERT INTO exchanges (id, conversation_id, corpus_id, place, at, tests, surface, outcome, question, said, trailed) SELECT id, id, corpus_id, 0, at, 1, surface, outcome, question, '', 1 FROM replies;

-- +goose Down
DROP TABLE settled_versions; DROP TABLE settled; DROP TABLE review_times; DROP TABLE samples; DROP TABLE snag_items; DROP TABLE exchanges; DROP TABLE snags; DROP TABLE conversations;
