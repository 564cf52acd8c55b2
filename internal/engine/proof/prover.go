package proof

import (
	"context"
	"sync"

	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/upkeep"
)

// Prover audits, mends, explains and forgets.
type Prover struct {
	*running.App
	facts  *facts.Writer
	reader *documents.Reader

	striding stride        // of the audit at hand; only the auditor looks at it
	wake     chan struct{} // an audit was begun
	stop     context.CancelFunc
	group    sync.WaitGroup
}

// New makes a prover. The workers will tell it what goes along with something
// that is forgotten.
func New(writer *facts.Writer, workers *upkeep.Workers, reader *documents.Reader) *Prover {
	p := &Prover{App: writer.App, facts: writer, reader: reader, wake: make(chan struct{}, 1)}
	workers.Forgetting = p.notePlaces
	return p
}

// Start begins to carry on with audits, whoever began them.
func (p *Prover) Start() {
	ctx, cancel := context.WithCancel(context.Background())
	p.stop = cancel
	p.group.Go(func() { p.auditor(ctx) })
}

// Stop ends that. An audit in hand goes on elsewhere, or at the next start.
func (p *Prover) Stop() {
	if p.stop != nil {
		p.stop()
		p.group.Wait()
	}
}
