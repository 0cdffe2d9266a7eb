-- +goose Up
CREATE TABLE connections (          -- endpoints that others run
  kind TEXT PRIMARY KEY,            -- speech
  base TEXT NOT NULL,
  model TEXT NOT NULL DEFAULT '',
  sealed BLOB NOT NULL DEFAULT x''  -- the key, sealed; empty for none
);

-- +goose Down
DROP TABLE connections;
