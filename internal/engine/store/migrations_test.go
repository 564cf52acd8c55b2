package store_test

import (
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/engine/store"
	"yalvo/tests/scratch"
)

// The tables of every version that there was, with what the program of that version
// had written, become those that a new database gets: by two services that start
// together.
func TestTablesOfEveryVersionAreBroughtAlong(t *testing.T) {
	fresh := scratch.Database(t)
	opened(t, fresh)
	want := catalog(t, fresh)
	for version := 1; version < store.SchemaVersion; version++ {
		t.Run(fmt.Sprint("version ", version), func(t *testing.T) {
			address := scratch.Database(t)
			tables, err := os.ReadFile(fmt.Sprintf("testdata/tables/%d.sql", version))
			if err != nil {
				t.Fatal(err)
			}
			run(t, address, string(tables))
			before := facts(t, address)
			var group sync.WaitGroup
			for range 2 {
				group.Go(func() { opened(t, address) })
			}
			group.Wait()
			if got := catalog(t, address); got != want {
				t.Errorf("the tables differ from new ones:\n%s", difference(got, want))
			}
			if after := facts(t, address); after != before || !strings.Contains(after, "Benno") {
				t.Errorf("the facts were\n%s\nand are\n%s", before, after)
			}
			opened(t, address) // and find it done
			if version < 10 {
				return // which no list was applied to
			}
			if lists := text(t, address, `SELECT format('%s of %s', count(*) FILTER (WHERE indexdef ~ '> 0'), count(*))
				FROM pg_indexes WHERE starts_with(indexname, 'list_')`); lists != "3 of 3" {
				t.Errorf("of the indexes of lists %s serve lists alone", lists)
			}
		})
	}
}

func opened(t *testing.T, address string) {
	s, err := store.Open(t.Context(), address, 2)
	if err != nil {
		t.Error(err)
		return
	}
	if err := s.Close(); err != nil {
		t.Error(err)
	}
}

func connect(t *testing.T, address string) *pgx.Conn {
	t.Helper()
	c, err := pgx.Connect(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func run(t *testing.T, address, sql string) {
	t.Helper()
	c := connect(t, address)
	defer c.Close(t.Context())
	if _, err := c.Exec(t.Context(), sql); err != nil {
		t.Fatal(err)
	}
}

func text(t *testing.T, address, sql string) string {
	t.Helper()
	c := connect(t, address)
	defer c.Close(t.Context())
	var got string
	if err := c.QueryRow(t.Context(), sql).Scan(&got); err != nil {
		t.Fatal(err)
	}
	return got
}

// catalog is what PostgreSQL knows of the tables, a line each.
func catalog(t *testing.T, address string) string {
	t.Helper()
	return text(t, address, `SELECT string_agg(line, E'\n' ORDER BY line) FROM (
		SELECT format('column %s.%s %s %s %s %s', c.relname, a.attname, format_type(a.atttypid, a.atttypmod),
			a.attnotnull, a.attidentity, pg_get_expr(d.adbin, d.adrelid)) AS line
		FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
		LEFT JOIN pg_attrdef d ON d.adrelid = c.oid AND d.adnum = a.attnum
		WHERE c.relnamespace = 'yalvo'::regnamespace AND c.relkind IN ('r', 'p', 'v')
		UNION ALL SELECT 'index ' || indexdef FROM pg_indexes
			WHERE schemaname = 'yalvo' AND NOT starts_with(indexname, 'list_')
		UNION ALL SELECT 'options ' || relname || ' ' || coalesce(reloptions::text, '') FROM pg_class
			WHERE relnamespace = 'yalvo'::regnamespace AND relkind IN ('r', 'p')
		UNION ALL SELECT 'trigger ' || pg_get_triggerdef(t.oid) FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid
			WHERE c.relnamespace = 'yalvo'::regnamespace AND NOT t.tgisinternal
		UNION ALL SELECT 'function ' || proname || ' ' || prosrc FROM pg_proc
			WHERE pronamespace = 'yalvo'::regnamespace
		UNION ALL SELECT 'view ' || viewname || ' ' || definition FROM pg_views WHERE schemaname = 'yalvo') x`)
}

// facts are the documents and pairs that clients wrote.
func facts(t *testing.T, address string) string {
	t.Helper()
	return text(t, address, `SELECT string_agg(line, E'\n' ORDER BY line) FROM (
		SELECT 'document ' || n || ' ' || key || ' ' || version || ' ' || created || ' ' || fields AS line
		FROM yalvo.documents
		UNION ALL SELECT 'pair ' || kind || ' ' || a || ' ' || b || ' ' || at FROM yalvo.pairs) x`)
}

func difference(a, b string) string {
	was, is := strings.Split(a, "\n"), strings.Split(b, "\n")
	var out []string
	for _, x := range [][2][]string{{was, is}, {is, was}} {
		for _, line := range x[0] {
			if !strings.Contains("\n"+strings.Join(x[1], "\n")+"\n", "\n"+line+"\n") {
				out = append(out, line)
			}
		}
		out = append(out, "--")
	}
	return strings.Join(out, "\n")
}
