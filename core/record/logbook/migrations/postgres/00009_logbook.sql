-- +goose Up
-- The tables of layout 9, as the migrations of files leave them; each further migration has
-- a file of the same number there and here. Ids are compared by their bytes.
CREATE TABLE settings (
    key   TEXT COLLATE "C" PRIMARY KEY,
    value TEXT NOT NULL
);
INSERT INTO settings (key, value) VALUES ('application', 'opengauge'), ('readable_from', '9');

CREATE TABLE sessions (
    id         TEXT COLLATE "C" PRIMARY KEY,
    rowid      BIGINT GENERATED ALWAYS AS IDENTITY, -- the order in which they were kept
    name       TEXT NOT NULL,
    started_ms BIGINT NOT NULL,
    state      TEXT NOT NULL,
    simulated  BOOLEAN NOT NULL,
    plan       TEXT NOT NULL,
    target     TEXT NOT NULL,
    passes     INTEGER NOT NULL DEFAULT 0,
    recorder   TEXT NOT NULL DEFAULT session_user, -- the account that kept it
    document   TEXT NOT NULL -- the session's JSON without its passes
) WITH (toast_tuple_target = 256); -- lists read rows, and no documents
ALTER TABLE sessions ALTER COLUMN document SET COMPRESSION lz4;
CREATE INDEX sessions_started ON sessions (started_ms, rowid);
CREATE INDEX sessions_name ON sessions (name);
-- Parts of names are found by their groups of three letters (pg_trgm), where the server has that.
-- +goose StatementBegin
DO $$
BEGIN
    CREATE EXTENSION IF NOT EXISTS pg_trgm;
    CREATE INDEX sessions_part_of_name ON sessions USING gin (name gin_trgm_ops);
EXCEPTION WHEN OTHERS THEN
    RAISE NOTICE 'names are searched without an index: %', SQLERRM;
END $$;
-- +goose StatementEnd
CREATE INDEX sessions_plan ON sessions (plan, started_ms, rowid);

CREATE TABLE passes (
    session  TEXT COLLATE "C" NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    document TEXT NOT NULL, -- the pass's JSON without its samples, until the session has ended
    samples  BYTEA NOT NULL, -- the samples' JSON, zstd
    PRIMARY KEY (session, position)
);
ALTER TABLE passes ALTER COLUMN document SET COMPRESSION lz4;
ALTER TABLE passes ALTER COLUMN samples SET STORAGE EXTERNAL; -- they are compressed

-- The passes of a session that has ended, without their samples: a JSON list, zstd. The table of
-- passes has samples alone then, and what is measured now.
CREATE TABLE pass_lists (
    session  TEXT COLLATE "C" PRIMARY KEY REFERENCES sessions (id) ON DELETE CASCADE,
    document BYTEA NOT NULL,
    digest   BYTEA NOT NULL -- what comparisons over very many read of them: digest.go
);
ALTER TABLE pass_lists ALTER COLUMN document SET STORAGE EXTERNAL;

CREATE TABLE tags (
    tag     TEXT COLLATE "C" NOT NULL,
    session TEXT COLLATE "C" NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    PRIMARY KEY (tag, session)
);
CREATE INDEX tags_session ON tags (session);

CREATE TABLE conditions (
    key     TEXT COLLATE "C" NOT NULL,
    value   TEXT COLLATE "C" NOT NULL,
    session TEXT COLLATE "C" NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    PRIMARY KEY (key, value, session)
);
CREATE INDEX conditions_session ON conditions (session);

CREATE TABLE rankings (
    id    BIGINT GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    class TEXT COLLATE "C" NOT NULL,
    load  TEXT COLLATE "C" NOT NULL,
    UNIQUE (class, load)
);

CREATE TABLE setups (
    id   BIGINT GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name TEXT COLLATE "C" NOT NULL UNIQUE
);

CREATE TABLE figures (
    session    TEXT COLLATE "C" NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    ranking    BIGINT NOT NULL REFERENCES rankings (id),
    setup      BIGINT NOT NULL REFERENCES setups (id),
    value      DOUBLE PRECISION NOT NULL,
    started_ms BIGINT NOT NULL,
    PRIMARY KEY (session, ranking)
);
CREATE INDEX figures_entry ON figures (ranking, setup);

CREATE TABLE entries (
    ranking   BIGINT NOT NULL REFERENCES rankings (id),
    setup     BIGINT NOT NULL REFERENCES setups (id),
    runs      BIGINT NOT NULL,
    total     DOUBLE PRECISION NOT NULL,
    mean      DOUBLE PRECISION NOT NULL,
    newest    TEXT COLLATE "C" NOT NULL,
    newest_ms BIGINT NOT NULL,
    PRIMARY KEY (ranking, setup)
);
CREATE INDEX entries_mean ON entries (ranking, mean);

CREATE TABLE quotes (
    id       BIGINT GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    part     TEXT COLLATE "C" NOT NULL,
    document TEXT COLLATE "C" NOT NULL UNIQUE,
    account  TEXT NOT NULL DEFAULT session_user
);
CREATE INDEX quotes_part ON quotes (part);

-- Who is at work with the logbook under which name, and on which machine.
CREATE TABLE benches (
    name    TEXT COLLATE "C" PRIMARY KEY,
    machine TEXT NOT NULL,
    account TEXT NOT NULL DEFAULT session_user,
    seen_ms BIGINT NOT NULL
);

-- Visits of reviews that somebody is making, until a time; then they are anybody's again.
CREATE TABLE claims (
    review   TEXT COLLATE "C" NOT NULL,
    place    BIGINT NOT NULL, -- among all visits of the review
    bench    TEXT NOT NULL,
    until_ms BIGINT NOT NULL, -- by the clock of this server
    document TEXT NOT NULL,
    account  TEXT NOT NULL DEFAULT session_user,
    PRIMARY KEY (review, place)
);

-- Where hosts meet that measure together, and what they post there, in the order in which it is
-- seen by all.
CREATE TABLE meetings (
    id      BIGINT GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name    TEXT COLLATE "C" NOT NULL,
    ended   BOOLEAN NOT NULL DEFAULT false,
    made_ms BIGINT NOT NULL DEFAULT extract(epoch FROM clock_timestamp()) * 1000
);
CREATE UNIQUE INDEX meetings_open ON meetings (name) WHERE NOT ended;

CREATE TABLE notices (
    meeting  BIGINT NOT NULL REFERENCES meetings (id) ON DELETE CASCADE,
    number   BIGINT GENERATED ALWAYS AS IDENTITY,
    key      TEXT COLLATE "C" NOT NULL,
    host     TEXT NOT NULL,
    account  TEXT NOT NULL DEFAULT session_user,
    document TEXT NOT NULL,
    PRIMARY KEY (meeting, key)
);
CREATE INDEX notices_number ON notices (meeting, number);
ALTER TABLE notices ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON notices FOR SELECT USING (true);
CREATE POLICY add ON notices FOR INSERT WITH CHECK (account = session_user);

-- Entries follow figures. The owner of the logbook changes them, whoever added a figure; rows
-- are taken in one order by all, so that no two wait for each other.
-- +goose StatementBegin
CREATE FUNCTION figures_added() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path FROM CURRENT AS $$
BEGIN
    INSERT INTO entries AS held (ranking, setup, runs, total, mean, newest, newest_ms)
    SELECT ranking, setup, count(*), sum(value), avg(value),
           (array_agg(session ORDER BY started_ms DESC))[1], max(started_ms)
    FROM added GROUP BY ranking, setup ORDER BY ranking, setup
    ON CONFLICT (ranking, setup) DO UPDATE SET runs = held.runs + excluded.runs,
        total = held.total + excluded.total,
        mean = (held.total + excluded.total) / (held.runs + excluded.runs),
        newest = CASE WHEN excluded.newest_ms >= held.newest_ms THEN excluded.newest ELSE held.newest END,
        newest_ms = greatest(held.newest_ms, excluded.newest_ms);
    RETURN NULL;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION figures_removed() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path FROM CURRENT AS $$
BEGIN
    -- Others who change the same entries are waited for before figures are counted.
    PERFORM 1 FROM entries WHERE (ranking, setup) IN (SELECT ranking, setup FROM removed)
        ORDER BY ranking, setup FOR UPDATE;
    DELETE FROM entries WHERE (ranking, setup) IN (SELECT ranking, setup FROM removed);
    INSERT INTO entries (ranking, setup, runs, total, mean, newest, newest_ms)
    SELECT f.ranking, f.setup, count(*), sum(f.value), avg(f.value),
           (array_agg(f.session ORDER BY f.started_ms DESC))[1], max(f.started_ms)
    FROM figures f JOIN (SELECT DISTINCT ranking, setup FROM removed) r USING (ranking, setup)
    GROUP BY f.ranking, f.setup;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER figures_added AFTER INSERT ON figures REFERENCING NEW TABLE AS added
    FOR EACH STATEMENT EXECUTE FUNCTION figures_added();
CREATE TRIGGER figures_removed AFTER DELETE ON figures REFERENCING OLD TABLE AS removed
    FOR EACH STATEMENT EXECUTE FUNCTION figures_removed();

-- Whoever may read, reads everything. What a session is may be changed by the account that
-- kept it, and by those who own the tables, for whom these rules do not count.
ALTER TABLE sessions ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON sessions FOR SELECT USING (true);
CREATE POLICY add ON sessions FOR INSERT WITH CHECK (recorder = session_user);
CREATE POLICY change ON sessions FOR UPDATE USING (recorder = session_user) WITH CHECK (recorder = session_user);
CREATE POLICY remove ON sessions FOR DELETE USING (recorder = session_user);
-- +goose StatementBegin
DO $$
DECLARE t TEXT;
BEGIN
    FOREACH t IN ARRAY ARRAY['passes', 'pass_lists', 'tags', 'conditions', 'figures'] LOOP
        EXECUTE format('ALTER TABLE %I ENABLE ROW LEVEL SECURITY', t);
        EXECUTE format('CREATE POLICY read ON %I FOR SELECT USING (true)', t);
        EXECUTE format('CREATE POLICY add ON %I FOR INSERT WITH CHECK (EXISTS (SELECT 1 FROM sessions
            WHERE id = session AND recorder = session_user))', t);
        EXECUTE format('CREATE POLICY change ON %I FOR UPDATE USING (EXISTS (SELECT 1 FROM sessions
            WHERE id = session AND recorder = session_user))', t);
        EXECUTE format('CREATE POLICY remove ON %I FOR DELETE USING (EXISTS (SELECT 1 FROM sessions
            WHERE id = session AND recorder = session_user))', t);
    END LOOP;
END $$;
-- +goose StatementEnd

-- Who measures, and what of a review somebody is making: nobody takes another account's away,
-- until it is over.
ALTER TABLE benches ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON benches FOR SELECT USING (true);
CREATE POLICY add ON benches FOR INSERT WITH CHECK (account = session_user);
CREATE POLICY change ON benches FOR UPDATE USING (account = session_user) WITH CHECK (account = session_user);
ALTER TABLE claims ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON claims FOR SELECT USING (true);
CREATE POLICY add ON claims FOR INSERT WITH CHECK (account = session_user);
CREATE POLICY change ON claims FOR UPDATE USING (account = session_user) WITH CHECK (account = session_user);
CREATE POLICY remove ON claims FOR DELETE USING (account = session_user
    OR until_ms < extract(epoch FROM clock_timestamp()) * 1000);

-- What others published is removed by who noted it.
ALTER TABLE quotes ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON quotes FOR SELECT USING (true);
CREATE POLICY add ON quotes FOR INSERT WITH CHECK (account = session_user);
CREATE POLICY remove ON quotes FOR DELETE USING (account = session_user);

-- Nobody ends a meeting at which a host is present, whose connection holds a lock.
ALTER TABLE meetings ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON meetings FOR SELECT USING (true);
CREATE POLICY add ON meetings FOR INSERT WITH CHECK (NOT ended);
CREATE POLICY finish ON meetings FOR UPDATE USING (NOT EXISTS (SELECT 1 FROM pg_locks
    WHERE locktype = 'advisory' AND objsubid = 2 AND classid::bigint = id & 2147483647
    AND database = (SELECT oid FROM pg_database WHERE datname = current_database()))) WITH CHECK (ended);

-- Lists that grow only, and what only owners change: entries by the functions above.
ALTER TABLE rankings ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON rankings FOR SELECT USING (true);
CREATE POLICY add ON rankings FOR INSERT WITH CHECK (true);
ALTER TABLE setups ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON setups FOR SELECT USING (true);
CREATE POLICY add ON setups FOR INSERT WITH CHECK (true);
ALTER TABLE entries ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON entries FOR SELECT USING (true);
ALTER TABLE settings ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON settings FOR SELECT USING (true);
ALTER TABLE goose_db_version ENABLE ROW LEVEL SECURITY;
CREATE POLICY read ON goose_db_version FOR SELECT USING (true);

-- +goose Down
DROP TABLE claims, notices, meetings, benches, quotes, entries, figures, setups, rankings, conditions, tags, pass_lists, passes, sessions, settings;
DROP FUNCTION figures_added, figures_removed;
