-- +goose Up
CREATE TABLE sheet ( -- questions that are answered again whenever the manner changes
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  place INTEGER NOT NULL,
  question TEXT NOT NULL,
  PRIMARY KEY (corpus_id, place)
);

CREATE TABLE dismissed ( -- terms that are not to be proposed for the glossary again
  corpus_id TEXT NOT NULL REFERENCES corpora(id) ON DELETE CASCADE,
  term TEXT NOT NULL,
  PRIMARY KEY (corpus_id, term)
);

-- +goose Down
DROP TABLE dismissed;
DROP TABLE sheet;
