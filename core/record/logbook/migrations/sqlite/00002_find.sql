-- +goose Up
ALTER TABLE sessions ADD COLUMN passes INTEGER NOT NULL DEFAULT 0;

CREATE TABLE tags (
    tag     TEXT NOT NULL,
    session TEXT NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    PRIMARY KEY (tag, session)
) STRICT, WITHOUT ROWID;
CREATE INDEX tags_session ON tags (session);

CREATE TABLE conditions (
    key     TEXT NOT NULL,
    value   TEXT NOT NULL,
    session TEXT NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    PRIMARY KEY (key, value, session)
) STRICT, WITHOUT ROWID;
CREATE INDEX conditions_session ON conditions (session);

-- What sessions are ranked by: a load, among sessions of a class.
CREATE TABLE rankings (
    id    INTEGER PRIMARY KEY,
    class TEXT NOT NULL,
    load  TEXT NOT NULL,
    count INTEGER NOT NULL DEFAULT 0, -- of its figures
    UNIQUE (class, load)
) STRICT;

CREATE TABLE figures (
    ranking INTEGER NOT NULL REFERENCES rankings (id),
    value   REAL NOT NULL, -- median of the repeats, bytes a second
    session TEXT NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    PRIMARY KEY (ranking, value, session)
) STRICT, WITHOUT ROWID;
CREATE INDEX figures_session ON figures (session);

-- +goose StatementBegin
CREATE TRIGGER figures_added AFTER INSERT ON figures BEGIN
    UPDATE rankings SET count = count + 1 WHERE id = new.ranking;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER figures_removed AFTER DELETE ON figures BEGIN
    UPDATE rankings SET count = count - 1 WHERE id = old.ranking;
END;
-- +goose StatementEnd

-- +goose Down
DROP TABLE figures;
DROP TABLE rankings;
DROP TABLE conditions;
DROP TABLE tags;
ALTER TABLE sessions DROP COLUMN passes;
