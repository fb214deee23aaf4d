-- +goose Up
-- What is agreed on for a whole logbook.
CREATE TABLE settings (
    key   TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT;
-- The oldest layout that a program has to know so as to read this one.
INSERT INTO settings (key, value) VALUES ('readable_from', '9');

-- By which account a session was kept, where the logbook is shared.
ALTER TABLE sessions ADD COLUMN recorder TEXT NOT NULL DEFAULT '';

-- The passes of a session that has ended, without their samples: a JSON list, zstd. The table of
-- passes has samples alone then, and what is measured now.
CREATE TABLE pass_lists (
    session  TEXT PRIMARY KEY REFERENCES sessions (id) ON DELETE CASCADE,
    document BLOB NOT NULL,
    digest   BLOB NOT NULL -- what comparisons over very many read of them: digest.go
) STRICT;

DROP TABLE figures;
ALTER TABLE rankings DROP COLUMN count;

-- The parts that sessions were measured with: runs of the same are one entry of a ranking.
CREATE TABLE setups (
    id   INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE
) STRICT;

CREATE TABLE figures (
    session    TEXT NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    ranking    INTEGER NOT NULL REFERENCES rankings (id),
    setup      INTEGER NOT NULL REFERENCES setups (id),
    value      REAL NOT NULL, -- median of the repeats, bytes a second
    started_ms INTEGER NOT NULL,
    PRIMARY KEY (session, ranking)
) STRICT, WITHOUT ROWID;
CREATE INDEX figures_entry ON figures (ranking, setup);

-- Rankings: one entry for each set-up, kept up by the triggers below.
CREATE TABLE entries (
    ranking   INTEGER NOT NULL REFERENCES rankings (id),
    setup     INTEGER NOT NULL REFERENCES setups (id),
    runs      INTEGER NOT NULL,
    total     REAL NOT NULL,
    mean      REAL NOT NULL,
    newest    TEXT NOT NULL,
    newest_ms INTEGER NOT NULL,
    PRIMARY KEY (ranking, setup)
) STRICT, WITHOUT ROWID;
CREATE INDEX entries_mean ON entries (ranking, mean);

-- +goose StatementBegin
CREATE TRIGGER figures_added AFTER INSERT ON figures BEGIN
    INSERT INTO entries (ranking, setup, runs, total, mean, newest, newest_ms)
    VALUES (new.ranking, new.setup, 1, new.value, new.value, new.session, new.started_ms)
    ON CONFLICT (ranking, setup) DO UPDATE SET runs = runs + 1, total = total + new.value,
        mean = (total + new.value) / (runs + 1),
        newest = CASE WHEN new.started_ms >= newest_ms THEN new.session ELSE newest END,
        newest_ms = max(newest_ms, new.started_ms);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER figures_removed AFTER DELETE ON figures BEGIN
    DELETE FROM entries WHERE ranking = old.ranking AND setup = old.setup;
    INSERT INTO entries (ranking, setup, runs, total, mean, newest, newest_ms)
    SELECT ranking, setup, count(*), sum(value), avg(value), session, max(started_ms)
    FROM figures WHERE ranking = old.ranking AND setup = old.setup GROUP BY ranking, setup;
END;
-- +goose StatementEnd

-- Visits of reviews that somebody is making, until a time; then they are anybody's again.
CREATE TABLE claims (
    review   TEXT NOT NULL,
    place    INTEGER NOT NULL, -- among all visits of the review
    bench    TEXT NOT NULL,
    until_ms INTEGER NOT NULL,
    document TEXT NOT NULL,
    account  TEXT NOT NULL DEFAULT '', -- a file has none
    PRIMARY KEY (review, place)
) STRICT;

-- +goose Down
DROP TABLE claims;
DROP TABLE entries;
DROP TABLE figures;
DROP TABLE setups;
DROP TABLE pass_lists;
ALTER TABLE sessions DROP COLUMN recorder;
DROP TABLE settings;
