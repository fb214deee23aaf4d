-- +goose Up
-- What a figure is of: runs of the same parts are one entry of a ranking.
ALTER TABLE figures ADD COLUMN entry TEXT NOT NULL DEFAULT '';
CREATE INDEX figures_entry ON figures (ranking, entry, value);

-- +goose Down
DROP INDEX figures_entry;
ALTER TABLE figures DROP COLUMN entry;
