-- +goose Up
PRAGMA application_id = 1330072642; -- "OGLB"

CREATE TABLE sessions (
    id         TEXT PRIMARY KEY,
    name       TEXT NOT NULL,
    started_ms INTEGER NOT NULL,
    state      TEXT NOT NULL,
    simulated  INTEGER NOT NULL,
    plan       TEXT NOT NULL,
    target     TEXT NOT NULL,
    document   TEXT NOT NULL -- the session's JSON without its passes
) STRICT;
CREATE INDEX sessions_started ON sessions (started_ms);
CREATE INDEX sessions_name ON sessions (name);

CREATE TABLE passes (
    session  TEXT NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    document TEXT NOT NULL, -- the pass's JSON without its samples
    samples  BLOB NOT NULL, -- the samples' JSON, zstd
    PRIMARY KEY (session, position)
) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE passes;
DROP TABLE sessions;
