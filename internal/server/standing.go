package server

import (
	"net/http"

	"yalvo/internal/openapi"
)

// standing is an answer that is sent only if it still stands when it begins: see [running.App.Stands].
type standing struct {
	http.ResponseWriter
	stands  func() error
	refuse  func(error) // answers otherwise
	begun   bool
	refused bool // whatever is written is dropped
}

// Unwrap is for [http.ResponseController].
func (w *standing) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// WriteHeader begins the answer, or another one.
func (w *standing) WriteHeader(status int) {
	if w.begun {
		if !w.refused {
			w.ResponseWriter.WriteHeader(status)
		}
		return
	}
	w.begun = true
	err := w.stands()
	if err == nil {
		w.ResponseWriter.WriteHeader(status)
		return
	}
	for _, name := range []string{"ETag", "Location", "Last-Modified", "Content-Length", "Content-Type", "Cache-Control",
		openapi.HeaderPosition, openapi.HeaderRead, openapi.HeaderWrote} {
		w.Header().Del(name)
	}
	w.refuse(err)
	w.refused = true
}

// Write sends a part of the answer.
func (w *standing) Write(part []byte) (int, error) {
	if !w.begun {
		w.WriteHeader(http.StatusOK)
	}
	if w.refused {
		return len(part), nil
	}
	return w.ResponseWriter.Write(part)
}
