package byhand

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"net"
	"net/http"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

//go:embed schema.sql
var schema string

// connections is as many as there are clients at once.
const connections = 16

// Server is a running server.
type Server struct {
	URL  string
	http *http.Server
	db   *pgxpool.Pool
}

// Start makes the tables in a database and serves on loopback.
func Start(ctx context.Context, database string) (*Server, error) {
	config, err := pgxpool.ParseConfig(database)
	if err != nil {
		return nil, err
	}
	config.MaxConns = connections
	config.ConnConfig.RuntimeParams["search_path"] = "byhand"
	db, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	if _, err := db.Exec(ctx, schema); err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	s := &Server{URL: "http://" + l.Addr().String(), db: db}
	mux := http.NewServeMux()
	mux.HandleFunc("POST /members", s.join)
	mux.HandleFunc("POST /sightings", s.post)
	mux.HandleFunc("PUT /likes/{member}/{sighting}", s.like)
	mux.HandleFunc("PUT /follows/{follower}/{followed}", s.follow)
	mux.HandleFunc("PUT /blocks/{member}/{other}", s.pair("blocks (blocker, blocked)"))
	mux.HandleFunc("PUT /hushes/{member}/{other}", s.pair("hushes (member, hushed)"))
	mux.HandleFunc("GET /timeline/{owner}", s.timeline)
	mux.HandleFunc("GET /everyone/{member}", s.everyone)
	s.http = &http.Server{Handler: mux}
	go s.http.Serve(l) // it ends with Stop
	return s, nil
}

// Stop ends it.
func (s *Server) Stop() error {
	defer s.db.Close()
	return s.http.Close()
}

// write runs a handler's statements in one transaction.
func (s *Server) write(w http.ResponseWriter, r *http.Request, status int, run func(context.Context, pgx.Tx) error) {
	err := pgx.BeginFunc(r.Context(), s.db, func(tx pgx.Tx) error { return run(r.Context(), tx) })
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		http.Error(w, "there is no such document", http.StatusNotFound)
	case err != nil:
		http.Error(w, err.Error(), http.StatusInternalServerError)
	default:
		w.WriteHeader(status)
	}
}

func (s *Server) join(w http.ResponseWriter, r *http.Request) {
	var m struct{ ID, Handle, Name string }
	if err := json.NewDecoder(r.Body).Decode(&m); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	s.write(w, r, http.StatusCreated, func(ctx context.Context, tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `INSERT INTO members (id, handle, name) VALUES ($1, $2, $3)`, m.ID, m.Handle, m.Name)
		return err
	})
}

// post writes a sighting with its author's card, counts it, and delivers it to the author
// and to the followers who are not blocked either way and have not hushed the author.
func (s *Server) post(w http.ResponseWriter, r *http.Request) {
	var p struct {
		ID, Author, Text string
		Birds            *int
	}
	if err := json.NewDecoder(r.Body).Decode(&p); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	s.write(w, r, http.StatusCreated, func(ctx context.Context, tx pgx.Tx) error {
		var created time.Time
		err := tx.QueryRow(ctx, `
			INSERT INTO sightings (id, author, author_handle, author_name, author_portrait, text, birds)
			SELECT $1, id, handle, name, portrait, $3, $4 FROM members WHERE id = $2 AND NOT muted
			RETURNING created`, p.ID, p.Author, p.Text, p.Birds).Scan(&created)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			UPDATE members SET sighting_count = sighting_count + 1, birds_seen = birds_seen + coalesce($2, 0),
			                   most_at_once = greatest(most_at_once, $2::int)
			WHERE id = $1`, p.Author, p.Birds)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			INSERT INTO timeline (owner, created, sighting, author)
			SELECT f.follower, $2::timestamptz, $3::text, $1::text FROM follows f
			WHERE f.followed = $1
			  AND NOT EXISTS (SELECT FROM blocks WHERE blocker = f.follower AND blocked = $1)
			  AND NOT EXISTS (SELECT FROM blocks WHERE blocker = $1 AND blocked = f.follower)
			  AND NOT EXISTS (SELECT FROM hushes WHERE member = f.follower AND hushed = $1)
			UNION ALL SELECT $1, $2, $3, $1`, p.Author, created, p.ID)
		return err
	})
}

func (s *Server) like(w http.ResponseWriter, r *http.Request) {
	member, sighting := r.PathValue("member"), r.PathValue("sighting")
	s.write(w, r, http.StatusNoContent, func(ctx context.Context, tx pgx.Tx) error {
		made, err := tx.Exec(ctx, `INSERT INTO likes (sighting, member) VALUES ($1, $2) ON CONFLICT DO NOTHING`,
			sighting, member)
		if err != nil || made.RowsAffected() == 0 {
			return err
		}
		_, err = tx.Exec(ctx, `UPDATE sightings SET like_count = like_count + 1 WHERE id = $1`, sighting)
		return err
	})
}

// pair writes that a member blocks or hushes another; the bench does so before anybody follows.
func (s *Server) pair(table string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		s.write(w, r, http.StatusNoContent, func(ctx context.Context, tx pgx.Tx) error {
			_, err := tx.Exec(ctx, "INSERT INTO "+table+" VALUES ($1, $2) ON CONFLICT DO NOTHING",
				r.PathValue("member"), r.PathValue("other"))
			return err
		})
	}
}

// timelineLength is how many entries a follow brings in at most.
const timelineLength = 800

// follow counts on both sides and brings the newest sightings in.
func (s *Server) follow(w http.ResponseWriter, r *http.Request) {
	follower, followed := r.PathValue("follower"), r.PathValue("followed")
	s.write(w, r, http.StatusNoContent, func(ctx context.Context, tx pgx.Tx) error {
		made, err := tx.Exec(ctx, `INSERT INTO follows (follower, followed) VALUES ($1, $2)
			ON CONFLICT DO NOTHING`, follower, followed)
		if err != nil || made.RowsAffected() == 0 {
			return err
		}
		_, err = tx.Exec(ctx, `
			UPDATE members SET follower_count = follower_count + (id = $2)::int,
				following_count = following_count + (id = $1)::int
			WHERE id = ANY (ARRAY[$1, $2])`, follower, followed)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			INSERT INTO timeline (owner, created, sighting, author)
			SELECT $1, created, id, author FROM sightings
			WHERE author = $2 AND NOT hidden
			  AND NOT EXISTS (SELECT FROM blocks WHERE blocker = $1 AND blocked = $2 OR blocker = $2 AND blocked = $1)
			  AND NOT EXISTS (SELECT FROM hushes WHERE member = $1 AND hushed = $2)
			ORDER BY created DESC LIMIT $3
			ON CONFLICT DO NOTHING`, follower, followed, timelineLength)
		return err
	})
}

// entry is an entry of a timeline, as Yalvo's show it.
type entry struct {
	ID     string    `json:"id"`
	Path   string    `json:"path"`
	At     time.Time `json:"at"`
	Author string    `json:"author"`
	Facts  struct {
		Text string `json:"text"`
	} `json:"facts"`
	Kept struct {
		Byline    byline `json:"byline"`
		Likes     int    `json:"like_count"`
		Remarks   int    `json:"remark_count"`
		Agreement int    `json:"agreement"`
	} `json:"kept"`
	Marks *marks `json:"marks,omitempty"`
}

type byline struct {
	Handle string `json:"handle"`
	Name   string `json:"name"`
}

type marks struct {
	Liked *like `json:"liked"`
}

type like struct {
	Since time.Time `json:"since"`
}

func likedSince(at *time.Time) *like {
	if at == nil {
		return nil
	}
	return &like{*at}
}

// timeline is a page of somebody's timeline, with their likes if they ask for them.
func (s *Server) timeline(w http.ResponseWriter, r *http.Request) {
	likes, since := "", "NULL::timestamptz"
	withLikes := r.URL.Query().Get("marks") == "liked"
	if withLikes {
		likes, since = "LEFT JOIN likes l ON l.sighting = s.id AND l.member = $1", "l.created"
	}
	rows, err := s.db.Query(r.Context(), `
		SELECT s.id, s.author, s.author_handle, s.author_name, s.text, s.like_count, s.remark_count, s.created,
			`+since+`
		FROM timeline t JOIN sightings s ON s.id = t.sighting `+likes+`
		WHERE t.owner = $1
		ORDER BY t.created DESC, t.sighting DESC
		LIMIT 30`, r.PathValue("owner"))
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	page, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (entry, error) {
		var one entry
		var liked *time.Time
		err := row.Scan(&one.ID, &one.Author, &one.Kept.Byline.Handle, &one.Kept.Byline.Name, &one.Facts.Text,
			&one.Kept.Likes, &one.Kept.Remarks, &one.At, &liked)
		one.Path = "sightings/" + one.ID
		if withLikes {
			one.Marks = &marks{likedSince(liked)}
		}
		return one, err
	})
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	json.NewEncoder(w).Encode(map[string]any{"entries": page})
}

// listed is a sighting as Yalvo's lists show it.
type listed struct {
	ID      string    `json:"id"`
	Path    string    `json:"path"`
	Version int       `json:"version"`
	Created time.Time `json:"created"`
	Updated time.Time `json:"updated"`
	Facts   struct {
		Text   string `json:"text"`
		Birds  *int   `json:"birds,omitempty"`
		Author string `json:"author"`
	} `json:"facts"`
	Kept struct {
		Byline    byline     `json:"byline"`
		Likes     int        `json:"like_count"`
		Remarks   int        `json:"remark_count"`
		Saves     int        `json:"saved_count"`
		Agreement int        `json:"agreement"`
		Doubts    int        `json:"doubt_count"`
		Last      []struct{} `json:"last_remarks"`
	} `json:"kept"`
	Marks marks `json:"marks"`
}

// everyone is a page of all sightings, newest first, without those of whom a block either way
// or a hush keeps a member, and with the member's likes.
func (s *Server) everyone(w http.ResponseWriter, r *http.Request) {
	rows, err := s.db.Query(r.Context(), `
		SELECT s.id, s.author, s.author_handle, s.author_name, s.text, s.birds, s.like_count, s.remark_count, s.created,
			l.created
		FROM sightings s LEFT JOIN likes l ON l.sighting = s.id AND l.member = $1
		WHERE NOT EXISTS (SELECT FROM blocks WHERE blocker = $1 AND blocked = s.author)
		  AND NOT EXISTS (SELECT FROM blocks WHERE blocker = s.author AND blocked = $1)
		  AND NOT EXISTS (SELECT FROM hushes WHERE member = $1 AND hushed = s.author)
		ORDER BY s.created DESC, s.id DESC
		LIMIT 30`, r.PathValue("member"))
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	page, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (listed, error) {
		one := listed{Version: 1}
		one.Kept.Last = []struct{}{}
		var liked *time.Time
		err := row.Scan(&one.ID, &one.Facts.Author, &one.Kept.Byline.Handle, &one.Kept.Byline.Name, &one.Facts.Text,
			&one.Facts.Birds, &one.Kept.Likes, &one.Kept.Remarks, &one.Created, &liked)
		one.Path, one.Updated = "sightings/"+one.ID, one.Created
		one.Marks.Liked = likedSince(liked)
		return one, err
	})
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	json.NewEncoder(w).Encode(map[string]any{"documents": page})
}
