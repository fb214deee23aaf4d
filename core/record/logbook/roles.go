package logbook

import "fmt"

// Grant gives roles of a server the privileges of readers, and others the privileges of benches. Only the
// owner of a logbook can.
func (l *Logbook) Grant(readers, benches []string) error {
	if !Shared(l.place) {
		return fmt.Errorf("%s is a file, and has no roles; who may use it is a matter of its rights", l.place)
	}
	_, err := l.database.Exec(`SELECT opengauge.grant_to(ARRAY(SELECT quote_ident(r) FROM jsonb_array_elements_text($1) r),
		ARRAY(SELECT quote_ident(r) FROM jsonb_array_elements_text($2) r))`, jsonList(readers), jsonList(benches))
	if stateOf(err) == "42704" {
		return fmt.Errorf("there is no such role on the server: %w; make it as docs/lab.md says", err)
	}
	return err
}

// Excess lists the privileges on a server that no reader or bench of a lab needs, with the statement that
// takes each away. A logbook that only its owner uses has none.
func (l *Logbook) Excess() ([]string, error) {
	if !Shared(l.place) {
		return nil, nil
	}
	found, err := queryTexts(l.database, excess)
	return found, l.unusable(err)
}

// excess looks at the privileges of a database, its schema and the tables of a logbook (PostgreSQL, 5.8 Privileges).
// Everybody may make temporary tables where nothing was revoked.
const excess = `WITH logbook AS (SELECT c.relowner AS owner, c.relnamespace AS schema FROM pg_class c
		WHERE c.oid = to_regclass('sessions') AND c.relkind = 'v'),
	lab AS (SELECT FROM logbook, pg_class c, aclexplode(c.relacl) a WHERE c.oid = to_regclass('sessions')
		AND a.grantee <> logbook.owner)
	SELECT format('%s may make temporary tables: REVOKE TEMPORARY ON DATABASE %I FROM %s', who, datname, who)
		FROM (SELECT d.datname, CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(a.grantee)) END AS who
			FROM logbook, pg_database d, aclexplode(coalesce(d.datacl, acldefault('d', d.datdba))) a
			WHERE d.datname = current_database() AND a.privilege_type = 'TEMPORARY'
			AND a.grantee NOT IN (d.datdba, logbook.owner)) t WHERE EXISTS (SELECT FROM lab)
	UNION ALL SELECT format('%s may make tables: REVOKE CREATE ON SCHEMA %I FROM %s', who, nspname, who)
		FROM (SELECT n.nspname, CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(a.grantee)) END AS who
			FROM logbook, pg_namespace n, aclexplode(coalesce(n.nspacl, acldefault('n', n.nspowner))) a
			WHERE n.oid = logbook.schema AND a.privilege_type = 'CREATE'
			AND a.grantee NOT IN (n.nspowner, logbook.owner)) t WHERE EXISTS (SELECT FROM lab)
	UNION ALL SELECT DISTINCT format('%s may do more with %s than read it: REVOKE ALL ON %s FROM %s', who, name, name, who)
		FROM (SELECT c.oid::regclass AS name, CASE a.grantee WHEN 0 THEN 'PUBLIC'
			ELSE quote_ident(pg_get_userbyid(a.grantee)) END AS who
			FROM logbook, pg_class c, aclexplode(c.relacl) a WHERE c.relowner = logbook.owner AND a.grantee <> logbook.owner
			AND (c.relnamespace = (SELECT oid FROM pg_namespace WHERE nspname = 'opengauge')
				OR c.relnamespace = logbook.schema AND a.privilege_type <> 'SELECT' AND c.relkind IN ('r', 'v'))) t
	ORDER BY 1`
