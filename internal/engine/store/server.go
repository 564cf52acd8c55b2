package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"
)

// server is what a database says of itself.
type server struct {
	Version     int
	ReadsOnly   bool
	Encoding    string
	Sorts       bool // it has the collation that lists are sorted by (ICU)
	MayMake     bool // tables
	Role        string
	Replicates  string // session_replication_role
	Fsync       string
	FullPages   string
	Vacuums     string
	Logs        string // log_statement
	Free        int    // connections
	Secured     bool   // the connection, or it stays on the machine
	Now         time.Time
	Triggers    string // that are switched off
	RowSecurity string // tables that have it
}

// leastVersion is the oldest PostgreSQL that the statements are made for.
const leastVersion = 15

// CheckServer looks at what a server lacks and what it has set in ways that cannot be said for each connection. It
// fails if the service cannot work there, and warns of what is dangerous; needs is how many connections it will open
// beside those it has.
func (s *Store) CheckServer(ctx context.Context, needs int) (warnings []string, err error) {
	is, err := s.Looking(ctx).server()
	if err != nil {
		return nil, err
	}
	return is.warnings(needs, time.Now()), is.wrong()
}

func (tx *Tx) server() (is server, err error) {
	err = tx.DB.Raw(`
		SELECT current_setting('server_version_num')::int / 10000 AS version, pg_is_in_recovery() AS reads_only,
			current_setting('server_encoding') AS encoding, current_user AS role,
			EXISTS (SELECT FROM pg_collation WHERE collname = 'und-x-icu') AS sorts,
			coalesce((SELECT pg_has_role(nspowner, 'USAGE') FROM pg_namespace WHERE nspname = ?),
				has_database_privilege(current_database(), 'CREATE')) AS may_make,
			current_setting('session_replication_role') AS replicates, current_setting('fsync') AS fsync,
			current_setting('full_page_writes') AS full_pages, current_setting('autovacuum') AS vacuums,
			current_setting('log_statement') AS logs,
			current_setting('max_connections')::int - current_setting('superuser_reserved_connections')::int -
				(SELECT count(*) FROM pg_stat_activity WHERE backend_type = 'client backend') AS free,
			coalesce((SELECT ssl FROM pg_stat_ssl WHERE pid = pg_backend_pid()), false)
				OR inet_server_addr() IS NULL OR inet_server_addr() = inet_client_addr()
				OR inet_server_addr() << '127.0.0.0/8' AS secured,
			clock_timestamp() AS now,
			coalesce((SELECT string_agg(DISTINCT tgrelid::regclass || '.' || tgname, ', ') FROM pg_trigger
				WHERE tgrelid IN (SELECT c.oid FROM pg_class c WHERE relnamespace = to_regnamespace(?))
				  AND tgenabled = 'D'), '') AS triggers,
			coalesce((SELECT string_agg(relname, ', ') FROM pg_class
				WHERE relnamespace = to_regnamespace(?) AND relrowsecurity), '') AS row_security`,
		SchemaName, SchemaName, SchemaName).Scan(&is).Error
	return is, err
}

// wrong is why a service cannot work on a server, nil if it can.
func (is server) wrong() error {
	var all []string
	say := func(lacks bool, text string, args ...any) {
		if lacks {
			all = append(all, fmt.Sprintf(text, args...))
		}
	}
	say(is.Version < leastVersion, "it is PostgreSQL %d: use %d or later", is.Version, leastVersion)
	say(is.ReadsOnly, "it only reads, being a standby: give the address of the primary")
	say(is.Encoding != "UTF8", "the database is encoded as %s: make one WITH ENCODING 'UTF8' TEMPLATE "+
		"template0", is.Encoding)
	say(!is.Sorts, "it was built without ICU, by which lists are sorted: use one with it")
	say(!is.MayMake, "the role %s may not make tables there: GRANT CREATE ON DATABASE … TO %s, or give the role "+
		"that has "+
		"the schema %s", is.Role, is.Role, SchemaName)
	say(is.Replicates != "origin", "session_replication_role is %q for the role %s, so that triggers do not "+
		"fire: ALTER ROLE %s RESET session_replication_role", is.Replicates, is.Role, is.Role)
	say(is.RowSecurity != "", "row security is on for %s, and would hide facts: ALTER TABLE … DISABLE ROW "+
		"LEVEL SECURITY",
		is.RowSecurity)
	if len(all) == 0 {
		return nil
	}
	return errors.New("the service cannot work on this database: " + strings.Join(all, "; "))
}

// mostSkew is how far the clocks of a service and its database may be apart.
const mostSkew = 5 * time.Second

// warnings are what is dangerous on a server.
func (is server) warnings(needs int, now time.Time) (all []string) {
	say := func(bad bool, text string, args ...any) {
		if bad {
			all = append(all, fmt.Sprintf(text, args...))
		}
	}
	say(is.Fsync == "off", "fsync is off: when the machine stops, what was acknowledged may be lost, and the "+
		"database with it")
	say(is.FullPages == "off", "full_page_writes is off: when the machine stops, the database may be damaged")
	say(is.Vacuums == "off", "autovacuum is off: tables and indexes grow without end")
	say(is.Logs == "all" || is.Logs == "mod", "log_statement is %q: what people write stands in the server's "+
		"log, where nothing is forgotten", is.Logs)
	say(is.Free < needs, "the server has %d connections left and a service opens %d: raise max_connections, or "+
		"writes will fail when many come", is.Free, needs)
	say(!is.Secured, "the connection to the database is not encrypted and leaves the machine: add sslmode=verify-full "+
		"to its address")
	skew := is.Now.Sub(now)
	say(skew.Abs() > mostSkew, "the database's clock is %v apart from this machine's: set both by NTP",
		skew.Round(time.Second))
	say(is.Triggers != "", "triggers are switched off: %s. What is written meanwhile is seen by readers from the "+
		"next audit on: ALTER TABLE … ENABLE ALWAYS TRIGGER …", is.Triggers)
	return all
}
