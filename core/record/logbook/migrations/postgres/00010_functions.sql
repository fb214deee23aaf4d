-- +goose Up
-- The server trusts no bench. The tables are in a schema that their owner alone may use. Everybody
-- else reads views under the names of the tables, and changes the logbook through the functions in
-- opengauge_bench alone. Each of them runs as the owner, by names that are written out in full, on
-- a path that finds temporary tables last; it stores who calls it, computes all that can be
-- computed from a document, and refuses to touch the sessions of other accounts.
CREATE SCHEMA opengauge;
CREATE SCHEMA opengauge_bench;

DROP TRIGGER figures_added ON figures;
DROP TRIGGER figures_removed ON figures;
DROP FUNCTION figures_added();
DROP FUNCTION figures_removed();

-- +goose StatementBegin
DO $$
DECLARE
    t TEXT;
    p TEXT;
BEGIN
    FOREACH t IN ARRAY ARRAY['settings', 'sessions', 'passes', 'pass_lists', 'tags', 'conditions', 'rankings', 'setups',
        'figures', 'entries', 'quotes', 'benches', 'claims', 'meetings', 'notices'] LOOP
        FOR p IN SELECT polname FROM pg_policy WHERE polrelid = to_regclass(t) LOOP
            EXECUTE format('DROP POLICY %I ON %I', p, t);
        END LOOP;
        EXECUTE format('ALTER TABLE %I DISABLE ROW LEVEL SECURITY', t);
        EXECUTE format('ALTER TABLE %I SET SCHEMA opengauge', t);
    END LOOP;
END $$;
-- +goose StatementEnd

-- Rows that one transaction at a time holds. Advisory locks would do, if not everybody could take them.
CREATE TABLE opengauge.turns (name TEXT COLLATE "C" PRIMARY KEY);
INSERT INTO opengauge.turns (name) VALUES ('claims'), ('meetings');

-- Whoever opens a meeting lists the accounts that may take part. Hosts are present for as long as
-- the connection by which they came in; its channel is known to them alone.
UPDATE opengauge.meetings SET ended = true;
ALTER TABLE opengauge.meetings
    ADD COLUMN opened_by TEXT NOT NULL DEFAULT session_user,
    ADD COLUMN channel TEXT NOT NULL DEFAULT 'opengauge_' || replace(gen_random_uuid()::text, '-', '');
CREATE TABLE opengauge.members (
    meeting BIGINT NOT NULL REFERENCES opengauge.meetings (id) ON DELETE CASCADE,
    account TEXT COLLATE "C" NOT NULL,
    PRIMARY KEY (meeting, account)
);
CREATE TABLE opengauge.seats (
    meeting BIGINT NOT NULL REFERENCES opengauge.meetings (id) ON DELETE CASCADE,
    host    TEXT COLLATE "C" NOT NULL,
    account TEXT NOT NULL DEFAULT session_user,
    process INTEGER NOT NULL DEFAULT pg_backend_pid(),
    PRIMARY KEY (meeting, host)
);

-- What no bench may store. Rows that are there already are read with care, and those that would
-- spoil the rankings go: a sum with them is no number.
ALTER TABLE opengauge.claims ADD COLUMN taken_ms BIGINT NOT NULL
    DEFAULT (extract(epoch FROM clock_timestamp()) * 1000)::bigint;
DELETE FROM opengauge.figures WHERE NOT (value >= 0 AND value < 1e18);
DELETE FROM opengauge.entries;
INSERT INTO opengauge.entries (ranking, setup, runs, total, mean, newest, newest_ms)
    SELECT ranking, setup, count(*), sum(value), avg(value), (array_agg(session ORDER BY started_ms DESC))[1],
        max(started_ms)
    FROM opengauge.figures GROUP BY ranking, setup;
ALTER TABLE opengauge.sessions ADD CONSTRAINT bounded CHECK (id ~ '^[0-9A-Za-z-]{1,64}$' AND length(name) <= 200
    AND started_ms BETWEEN -62135596800000 AND 253402300799999 AND state IN ('complete', 'interrupted', 'failed')
    AND length(plan) <= 1000 AND length(target) <= 10000 AND passes BETWEEN 0 AND 1000000
    AND octet_length(document) <= 1 << 26) NOT VALID;
ALTER TABLE opengauge.passes ADD CONSTRAINT bounded CHECK (position BETWEEN 0 AND 1000000
    AND octet_length(document) <= 1 << 24 AND octet_length(samples) <= 1 << 26) NOT VALID;
ALTER TABLE opengauge.pass_lists ADD CONSTRAINT bounded CHECK (octet_length(document) <= 1 << 24
    AND octet_length(digest) <= 1 << 24) NOT VALID;
ALTER TABLE opengauge.tags ADD CONSTRAINT bounded CHECK (length(tag) BETWEEN 1 AND 200) NOT VALID;
ALTER TABLE opengauge.conditions ADD CONSTRAINT bounded CHECK (octet_length(key) <= 1000
    AND octet_length(value) <= 1000) NOT VALID;
ALTER TABLE opengauge.rankings ADD CONSTRAINT bounded CHECK (octet_length(class) <= 1000
    AND octet_length(load) <= 1000) NOT VALID;
ALTER TABLE opengauge.setups ADD CONSTRAINT bounded CHECK (octet_length(name) <= 1000) NOT VALID;
ALTER TABLE opengauge.figures ADD CONSTRAINT bounded CHECK (value >= 0 AND value < 1e18);
ALTER TABLE opengauge.quotes ADD CONSTRAINT bounded CHECK (octet_length(part) <= 1000
    AND octet_length(document) <= 1 << 20) NOT VALID;
ALTER TABLE opengauge.benches ADD CONSTRAINT bounded CHECK (length(name) BETWEEN 1 AND 200 AND length(machine) <= 200
    AND seen_ms BETWEEN 0 AND 253402300799999) NOT VALID;
ALTER TABLE opengauge.claims ADD CONSTRAINT bounded CHECK (octet_length(review) <= 1000 AND length(bench) <= 200
    AND place BETWEEN 0 AND 1000000 AND octet_length(document) <= 1 << 20
    AND until_ms - taken_ms BETWEEN 0 AND 600000) NOT VALID;
ALTER TABLE opengauge.meetings ADD CONSTRAINT bounded CHECK (length(name) BETWEEN 1 AND 200) NOT VALID;
ALTER TABLE opengauge.members ADD CONSTRAINT bounded CHECK (length(account) BETWEEN 1 AND 200);
ALTER TABLE opengauge.seats ADD CONSTRAINT bounded CHECK (length(host) BETWEEN 1 AND 200);
ALTER TABLE opengauge.notices ADD CONSTRAINT bounded CHECK (length(key) BETWEEN 1 AND 500 AND length(host) <= 200
    AND octet_length(document) <= 1 << 20) NOT VALID;

-- Entries follow figures. Rows are taken in one order by all, so that no two wait for each other.
-- +goose StatementBegin
CREATE FUNCTION opengauge.figures_added() RETURNS trigger LANGUAGE plpgsql SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    INSERT INTO opengauge.entries AS held (ranking, setup, runs, total, mean, newest, newest_ms)
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
CREATE FUNCTION opengauge.figures_removed() RETURNS trigger LANGUAGE plpgsql SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    -- Others who change the same entries are waited for before figures are counted.
    PERFORM 1 FROM opengauge.entries WHERE (ranking, setup) IN (SELECT ranking, setup FROM removed)
        ORDER BY ranking, setup FOR UPDATE;
    DELETE FROM opengauge.entries WHERE (ranking, setup) IN (SELECT ranking, setup FROM removed);
    INSERT INTO opengauge.entries (ranking, setup, runs, total, mean, newest, newest_ms)
    SELECT f.ranking, f.setup, count(*), sum(f.value), avg(f.value),
           (array_agg(f.session ORDER BY f.started_ms DESC))[1], max(f.started_ms)
    FROM opengauge.figures f JOIN (SELECT DISTINCT ranking, setup FROM removed) r USING (ranking, setup)
    GROUP BY f.ranking, f.setup;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER figures_added AFTER INSERT ON opengauge.figures REFERENCING NEW TABLE AS added
    FOR EACH STATEMENT EXECUTE FUNCTION opengauge.figures_added();
CREATE TRIGGER figures_removed AFTER DELETE ON opengauge.figures REFERENCING OLD TABLE AS removed
    FOR EACH STATEMENT EXECUTE FUNCTION opengauge.figures_removed();

-- Who calls, and what that account may change.
-- +goose StatementBegin
CREATE FUNCTION opengauge.is_keeper() RETURNS boolean LANGUAGE sql STABLE SET search_path = pg_catalog, pg_temp AS $$
    SELECT pg_has_role(session_user, (SELECT relowner FROM pg_class WHERE oid = 'opengauge.sessions'::regclass), 'USAGE')
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge.check_owner(ids TEXT[]) RETURNS void LANGUAGE plpgsql STABLE
    SET search_path = pg_catalog, pg_temp AS $$
DECLARE
    other RECORD;
BEGIN
    SELECT s.id, s.recorder INTO other FROM opengauge.sessions s
        WHERE s.id = ANY (ids) AND s.recorder <> session_user LIMIT 1;
    IF FOUND AND NOT opengauge.is_keeper() THEN
        RAISE EXCEPTION 'session % is of the account %', other.id, other.recorder USING ERRCODE = '42501';
    END IF;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge.now_ms() RETURNS bigint LANGUAGE sql VOLATILE SET search_path = pg_catalog, pg_temp AS $$
    SELECT (extract(epoch FROM clock_timestamp()) * 1000)::bigint
$$;
-- +goose StatementEnd
-- The columns of a session that its document has: the time of its start in whole milliseconds, the
-- rest of a millisecond cut off.
-- +goose StatementBegin
CREATE FUNCTION opengauge.columns_of(document TEXT, OUT name TEXT, OUT started_ms BIGINT, OUT state TEXT,
    OUT simulated BOOLEAN, OUT plan TEXT, OUT target TEXT) LANGUAGE sql STABLE
    SET search_path = pg_catalog, pg_temp AS $$
    SELECT coalesce(d.name, ''),
        round(extract(epoch FROM regexp_replace(d.started, '(\.\d{3})\d+', '\1')::timestamptz) * 1000)::bigint,
        d.state, coalesce(d.simulated, false), coalesce(d.plan ->> 'name', ''), coalesce(d.target ->> 'address', '')
    FROM json_to_record(document::json) AS d (name TEXT, started TEXT, state TEXT, simulated BOOLEAN, plan JSON,
        target JSON)
$$;
-- +goose StatementEnd

-- Keep: a session begins, gets its passes, ends.
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.begin_session(id TEXT, document TEXT) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$1]);
    INSERT INTO opengauge.sessions (id, name, started_ms, state, simulated, plan, target, document)
        SELECT $1, c.name, c.started_ms, c.state, c.simulated, c.plan, c.target, $2 FROM opengauge.columns_of($2) c
        ON CONFLICT DO NOTHING;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.finish_session(id TEXT, document TEXT) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge_bench.begin_session($1, $2);
    UPDATE opengauge.sessions s SET document = $2, state = (opengauge.columns_of($2)).state WHERE s.id = $1;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.amend_session(id TEXT, document TEXT) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$1]);
    UPDATE opengauge.sessions s SET document = $2 WHERE s.id = $1;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_sessions(ids TEXT[], documents TEXT[], passes INTEGER[]) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    INSERT INTO opengauge.sessions (id, name, started_ms, state, simulated, plan, target, document, passes)
        SELECT a.id, c.name, c.started_ms, c.state, c.simulated, c.plan, c.target, a.document, a.passes
        FROM unnest($1, $2, $3) WITH ORDINALITY AS a (id, document, passes, place),
            LATERAL opengauge.columns_of(a.document) c ORDER BY a.place;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_passes(sessions TEXT[], positions INTEGER[], documents TEXT[], samples BYTEA[])
    RETURNS void LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner($1);
    INSERT INTO opengauge.passes (session, position, document, samples)
        SELECT * FROM unnest($1, $2, $3, $4) ON CONFLICT DO NOTHING;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.count_passes(id TEXT) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$1]);
    UPDATE opengauge.sessions s SET passes = (SELECT count(*) FROM opengauge.passes p WHERE p.session = $1)
        WHERE s.id = $1;
END $$;
-- +goose StatementEnd
-- Once a session has ended its passes are in a list, and the table of passes has samples alone;
-- those that are as good as none go.
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.remove_empty_samples(id TEXT, absent BYTEA, empty BYTEA) RETURNS void LANGUAGE plpgsql
    SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$1]);
    DELETE FROM opengauge.passes p WHERE p.session = $1 AND p.samples IN ($2, $3);
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.clear_documents(id TEXT) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$1]);
    UPDATE opengauge.passes p SET document = '' WHERE p.session = $1 AND p.document <> '';
END $$;
-- +goose StatementEnd

-- By what sessions are found and ranked.
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.clear_index(id TEXT) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$1]);
    DELETE FROM opengauge.conditions c WHERE c.session = $1;
    DELETE FROM opengauge.figures f WHERE f.session = $1;
    DELETE FROM opengauge.pass_lists l WHERE l.session = $1;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_conditions(keys TEXT[], vals TEXT[], sessions TEXT[]) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner($3);
    INSERT INTO opengauge.conditions (key, value, session) SELECT * FROM unnest($1, $2, $3) ON CONFLICT DO NOTHING;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_pass_lists(sessions TEXT[], documents BYTEA[], digests BYTEA[]) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner($1);
    INSERT INTO opengauge.pass_lists (session, document, digest) SELECT * FROM unnest($1, $2, $3);
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_ranking(class TEXT, load TEXT) RETURNS void LANGUAGE sql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
    INSERT INTO opengauge.rankings (class, load) VALUES ($1, $2) ON CONFLICT DO NOTHING
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_setup(name TEXT) RETURNS void LANGUAGE sql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
    INSERT INTO opengauge.setups (name) VALUES ($1) ON CONFLICT DO NOTHING
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_figures(sessions TEXT[], rankings BIGINT[], setups BIGINT[],
    vals DOUBLE PRECISION[]) RETURNS void LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner($1);
    INSERT INTO opengauge.figures (session, ranking, setup, value, started_ms)
        SELECT a.session, a.ranking, a.setup, a.value, s.started_ms
        FROM unnest($1, $2, $3, $4) AS a (session, ranking, setup, value) JOIN opengauge.sessions s ON s.id = a.session;
END $$;
-- +goose StatementEnd

-- Remove.
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.remove_session(id TEXT) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$1]);
    DELETE FROM opengauge.sessions s WHERE s.id = $1;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.remove_samples(id TEXT) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$1]);
    DELETE FROM opengauge.passes p WHERE p.session = $1;
END $$;
-- +goose StatementEnd

-- Tag.
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_tag(tag TEXT, id TEXT) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$2]);
    INSERT INTO opengauge.tags (tag, session) SELECT $1, s.id FROM opengauge.sessions s WHERE s.id = $2
        ON CONFLICT DO NOTHING;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.remove_tags(id TEXT, tags JSONB) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM opengauge.check_owner(ARRAY[$1]);
    DELETE FROM opengauge.tags t WHERE t.session = $1 AND t.tag IN (SELECT jsonb_array_elements_text($2));
END $$;
-- +goose StatementEnd

-- Note: figures that others published, and who measures.
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_quote(part TEXT, document TEXT) RETURNS void LANGUAGE sql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
    INSERT INTO opengauge.quotes (part, document) VALUES ($1, $2) ON CONFLICT DO NOTHING
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.remove_quote(document TEXT) RETURNS SETOF INTEGER LANGUAGE sql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
    DELETE FROM opengauge.quotes q WHERE q.document = $1 AND (q.account = session_user OR opengauge.is_keeper()) RETURNING 1
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.enlist(name TEXT, machine TEXT) RETURNS void LANGUAGE sql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
    INSERT INTO opengauge.benches AS held (name, machine, seen_ms) VALUES ($1, $2, opengauge.now_ms())
        ON CONFLICT (name) DO UPDATE SET machine = excluded.machine, seen_ms = excluded.seen_ms
        WHERE held.account = session_user
$$;
-- +goose StatementEnd

-- Claim: visits of reviews, for ten minutes at the most.
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.take_turn() RETURNS void LANGUAGE sql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
    SELECT FROM opengauge.turns t WHERE t.name = 'claims' FOR UPDATE
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.clear_claims(review TEXT, bench TEXT) RETURNS void LANGUAGE sql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
    DELETE FROM opengauge.claims c WHERE c.review = $1 AND (c.until_ms < opengauge.now_ms()
        OR c.bench = $2 AND (c.account = session_user OR opengauge.is_keeper()))
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.add_claim(review TEXT, place BIGINT, bench TEXT, within_ms BIGINT, document TEXT)
    RETURNS void LANGUAGE sql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
    INSERT INTO opengauge.claims (review, place, bench, taken_ms, until_ms, document)
        SELECT $1, $2, $3, now, now + $4, $5 FROM opengauge.now_ms() AS now
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.keep_claims(within_ms BIGINT, review TEXT, bench TEXT) RETURNS void LANGUAGE sql
    SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
    UPDATE opengauge.claims c SET taken_ms = now, until_ms = now + $1 FROM opengauge.now_ms() AS now
        WHERE c.review = $2 AND c.bench = $3 AND c.account = session_user
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.give_back(review TEXT, bench TEXT) RETURNS void LANGUAGE sql SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
    DELETE FROM opengauge.claims c WHERE c.review = $1 AND c.bench = $2
        AND (c.account = session_user OR opengauge.is_keeper())
$$;
-- +goose StatementEnd

-- Post: hosts that measure together. Present is whose connection is there still, of the account
-- that came in by it.
-- +goose StatementBegin
CREATE FUNCTION opengauge.is_present(process INTEGER, account TEXT) RETURNS boolean LANGUAGE sql STABLE
    SET search_path = pg_catalog, pg_temp AS $$
    SELECT EXISTS (SELECT FROM pg_stat_activity a WHERE a.pid = $1 AND a.usename = $2 AND a.datname = current_database())
$$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.enter_meeting(called TEXT, host TEXT, accounts JSONB) RETURNS TABLE (id BIGINT,
    channel TEXT) LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
    held opengauge.meetings;
BEGIN
    PERFORM FROM opengauge.turns t WHERE t.name = 'meetings' FOR UPDATE;
    SELECT * INTO held FROM opengauge.meetings m WHERE m.name = $1 AND NOT m.ended;
    IF FOUND AND NOT EXISTS (SELECT FROM opengauge.seats s WHERE s.meeting = held.id
        AND opengauge.is_present(s.process, s.account)) THEN
        UPDATE opengauge.meetings m SET ended = true WHERE m.id = held.id;
        held := NULL;
    END IF;
    IF held.id IS NULL THEN
        INSERT INTO opengauge.meetings AS m (name) VALUES ($1) RETURNING m.* INTO held;
        INSERT INTO opengauge.members (meeting, account)
            SELECT held.id, a FROM (SELECT session_user::text UNION SELECT jsonb_array_elements_text($3)) AS l (a);
    END IF;
    IF NOT EXISTS (SELECT FROM opengauge.members m WHERE m.meeting = held.id AND m.account = session_user) THEN
        RAISE EXCEPTION '%', held.opened_by USING ERRCODE = 'OG002';
    END IF;
    DELETE FROM opengauge.seats s WHERE s.meeting = held.id AND s.host = $2
        AND NOT opengauge.is_present(s.process, s.account);
    IF EXISTS (SELECT FROM opengauge.seats s WHERE s.meeting = held.id AND s.host = $2) THEN
        RAISE EXCEPTION 'a host % is there already', $2 USING ERRCODE = 'OG001';
    END IF;
    INSERT INTO opengauge.seats (meeting, host) VALUES (held.id, $2);
    RETURN QUERY SELECT held.id, held.channel;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge.channel_of(meeting BIGINT, host TEXT) RETURNS TEXT LANGUAGE plpgsql STABLE
    SET search_path = pg_catalog, pg_temp AS $$
DECLARE
    found TEXT;
BEGIN
    SELECT m.channel INTO found FROM opengauge.meetings m JOIN opengauge.seats s ON s.meeting = m.id
        WHERE m.id = $1 AND NOT m.ended AND s.host = $2 AND s.account = session_user;
    IF found IS NULL THEN
        RAISE EXCEPTION 'the host % of this account has no seat in the meeting', $2 USING ERRCODE = '42501';
    END IF;
    RETURN found;
END $$;
-- +goose StatementEnd
-- Notices go one after the other: who has seen one has seen all those before it.
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.post_notice(meeting BIGINT, key TEXT, host TEXT, document TEXT) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
    channel TEXT := opengauge.channel_of($1, $3);
BEGIN
    PERFORM FROM opengauge.meetings m WHERE m.id = $1 FOR UPDATE;
    INSERT INTO opengauge.notices (meeting, key, host, document) VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING;
    PERFORM pg_notify(channel, '{}');
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.tell(meeting BIGINT, host TEXT, word JSON) RETURNS void LANGUAGE plpgsql
    SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    PERFORM pg_notify(opengauge.channel_of($1, $2), json_build_object('host', $2, 'word', $3)::text);
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE FUNCTION opengauge_bench.present_hosts(meeting BIGINT) RETURNS SETOF TEXT LANGUAGE sql STABLE SECURITY DEFINER
    SET search_path = pg_catalog, pg_temp AS $$
    SELECT s.host FROM opengauge.seats s WHERE s.meeting = $1 AND opengauge.is_present(s.process, s.account)
        AND EXISTS (SELECT FROM opengauge.members m WHERE m.meeting = $1 AND m.account = session_user)
$$;
-- +goose StatementEnd

-- What everybody reads who may read. Rows are left out of notices alone: they are the hosts' own.
CREATE VIEW settings AS SELECT * FROM opengauge.settings;
CREATE VIEW sessions AS SELECT * FROM opengauge.sessions;
CREATE VIEW passes AS SELECT * FROM opengauge.passes;
CREATE VIEW pass_lists AS SELECT * FROM opengauge.pass_lists;
CREATE VIEW tags AS SELECT * FROM opengauge.tags;
CREATE VIEW conditions AS SELECT * FROM opengauge.conditions;
CREATE VIEW rankings AS SELECT * FROM opengauge.rankings;
CREATE VIEW setups AS SELECT * FROM opengauge.setups;
CREATE VIEW figures AS SELECT * FROM opengauge.figures;
CREATE VIEW entries AS SELECT * FROM opengauge.entries;
CREATE VIEW quotes AS SELECT * FROM opengauge.quotes;
CREATE VIEW benches AS SELECT * FROM opengauge.benches;
CREATE VIEW claims AS SELECT * FROM opengauge.claims;
CREATE VIEW meetings AS SELECT id, name, ended, made_ms, opened_by FROM opengauge.meetings;
CREATE VIEW notices WITH (security_barrier) AS SELECT n.* FROM opengauge.notices n
    WHERE EXISTS (SELECT FROM opengauge.members m WHERE m.meeting = n.meeting AND m.account = session_user)
    OR pg_has_role(session_user, (SELECT relowner FROM pg_class WHERE oid = 'opengauge.sessions'::regclass), 'USAGE');

-- Gives roles the privileges of readers, and others those of benches besides. Roles are written as
-- in a GRANT.
-- +goose StatementBegin
CREATE FUNCTION opengauge.grant_to(readers TEXT[], benches TEXT[]) RETURNS void LANGUAGE plpgsql
    SET search_path = pg_catalog, pg_temp AS $$
DECLARE
    account TEXT;
    view regclass;
BEGIN
    FOREACH account IN ARRAY readers || benches LOOP
        FOR view IN SELECT c.oid FROM pg_class c JOIN pg_class t ON t.relname = c.relname AND t.relowner = c.relowner
            WHERE t.relnamespace = 'opengauge'::regnamespace AND t.relkind = 'r' AND c.relkind = 'v' LOOP
            EXECUTE format('GRANT SELECT ON %s TO %s', view, account);
        END LOOP;
        FOR view IN SELECT c.oid FROM pg_class c JOIN pg_class t ON t.relowner = c.relowner
            WHERE t.oid = 'opengauge.sessions'::regclass AND c.relname = 'goose_db_version' LOOP
            EXECUTE format('GRANT SELECT ON %s TO %s', view, account);
        END LOOP;
    END LOOP;
    FOREACH account IN ARRAY benches LOOP
        EXECUTE format('GRANT USAGE ON SCHEMA opengauge_bench TO %s', account);
        EXECUTE format('GRANT EXECUTE ON ALL FUNCTIONS IN SCHEMA opengauge_bench TO %s', account);
    END LOOP;
END $$;
-- +goose StatementEnd

-- Whoever could read the tables reads the views, and whoever could add sessions calls the functions.
-- Nobody but the owner has any other privilege, whatever is set to be granted for new tables.
-- +goose StatementBegin
DO $$
DECLARE
    readers TEXT[];
    benches TEXT[];
    kept RECORD;
BEGIN
    SELECT coalesce(array_agg(DISTINCT who) FILTER (WHERE privilege_type = 'SELECT'), '{}'),
           coalesce(array_agg(DISTINCT who) FILTER (WHERE privilege_type = 'INSERT'), '{}') INTO readers, benches
    FROM (SELECT a.privilege_type, CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(a.grantee)) END AS who
          FROM pg_class c, aclexplode(c.relacl) a
          WHERE c.oid = 'opengauge.sessions'::regclass AND a.grantee <> c.relowner) granted;
    FOR kept IN SELECT c.oid::regclass AS name, a.grantee FROM pg_class c, aclexplode(c.relacl) a
        WHERE a.grantee <> c.relowner AND c.relkind IN ('r', 'v', 'S')
        AND c.relnamespace IN ('opengauge'::regnamespace, current_schema()::regnamespace)
        AND c.relowner = (SELECT relowner FROM pg_class WHERE oid = 'opengauge.sessions'::regclass)
        GROUP BY c.oid, a.grantee LOOP
        EXECUTE format('REVOKE ALL ON %s FROM %s', kept.name,
            CASE kept.grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(kept.grantee)) END);
    END LOOP;
    FOR kept IN SELECT p.oid::regprocedure AS name, p.proacl, a.grantee FROM pg_proc p,
        aclexplode(coalesce(p.proacl, acldefault('f', p.proowner))) a WHERE a.grantee <> p.proowner
        AND p.pronamespace IN ('opengauge'::regnamespace, 'opengauge_bench'::regnamespace) LOOP
        EXECUTE format('REVOKE ALL ON FUNCTION %s FROM %s', kept.name,
            CASE kept.grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(kept.grantee)) END);
    END LOOP;
    PERFORM opengauge.grant_to(readers, benches);
END $$;
-- +goose StatementEnd
UPDATE opengauge.settings SET value = '9' WHERE key = 'readable_from';

-- +goose Down
DO $$ BEGIN RAISE EXCEPTION 'there is no way back from layout 10 but a backup'; END $$;
