-- +goose Up
CREATE TABLE vectors (              -- what an encoder made of texts it has read, by the hash of the text
  embedder TEXT NOT NULL,
  hash BLOB NOT NULL,
  vector BLOB NOT NULL,
  PRIMARY KEY (embedder, hash)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE vectors;
