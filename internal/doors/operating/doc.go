// Package operating is what operators do over HTTP: designs, their versions and drafts, facts in bulk,
// the status, parked work, rules that are tried, why, audits, forgetting.
//
// In go requests whose senders are known to be operators; out come answers in JSON.
//
// Not done here: who is an operator, and how errors are told.
package operating

import (
	"yalvo/internal/doors/gate"
	"yalvo/internal/engine/album"
	"yalvo/internal/engine/bulk"
	"yalvo/internal/engine/drafts"
	"yalvo/internal/engine/progress"
	"yalvo/internal/engine/proof"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/versions"
)

// API answers operators with the calls of these rooms.
type API struct {
	App      *running.App
	Progress *progress.Reader
	Proof    *proof.Prover
	Versions *versions.Keeper
	Drafts   *drafts.Folder
	Bulk     *bulk.Mover
	Album    *album.Album

	dumps gate.Counter
}
