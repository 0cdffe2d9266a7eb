-- +goose Up
ALTER TABLE connections ADD COLUMN tokens_out INTEGER NOT NULL DEFAULT 0; -- that a language model has written
ALTER TABLE connections ADD COLUMN window INTEGER NOT NULL DEFAULT 0;     -- tokens that a language model takes in
ALTER TABLE connections ADD COLUMN price_in REAL NOT NULL DEFAULT 0;      -- for a million tokens read
ALTER TABLE connections ADD COLUMN price_out REAL NOT NULL DEFAULT 0;     -- for a million tokens written
ALTER TABLE connections ADD COLUMN cap REAL NOT NULL DEFAULT 0;           -- most to be spent in a month; 0 for no cap

CREATE TABLE spending ( -- of connections, by month in UTC
  kind TEXT NOT NULL,
  month TEXT NOT NULL,
  calls INTEGER NOT NULL,
  tokens_in INTEGER NOT NULL,
  tokens_out INTEGER NOT NULL,
  price REAL NOT NULL,
  PRIMARY KEY (kind, month)
);

-- +goose Down
DROP TABLE spending;
ALTER TABLE connections DROP COLUMN cap;
ALTER TABLE connections DROP COLUMN price_out;
ALTER TABLE connections DROP COLUMN price_in;
ALTER TABLE connections DROP COLUMN window;
ALTER TABLE connections DROP COLUMN tokens_out;
