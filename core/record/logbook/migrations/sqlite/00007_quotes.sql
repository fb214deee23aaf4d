-- +goose Up
-- Figures of parts that others published.
CREATE TABLE quotes (
    id       INTEGER PRIMARY KEY,
    part     TEXT NOT NULL,
    document TEXT NOT NULL UNIQUE
) STRICT;
CREATE INDEX quotes_part ON quotes (part);

-- +goose Down
DROP TABLE quotes;
