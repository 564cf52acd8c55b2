package service

import (
	"crypto/tls"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"time"
)

// certificate is a certificate in files, which is read again when they have changed: who renews
// it need not stop the service.
type certificate struct {
	file, key string
	log       *slog.Logger

	mu     sync.Mutex
	loaded *tls.Certificate
	as     [2]time.Time // of the files, when they were read
}

// secured is how connections are secured with a certificate in files (RFC 8446; TLS 1.2 for
// those who know no better).
func secured(file, key string, log *slog.Logger) (*tls.Config, error) {
	c := &certificate{file: file, key: key, log: log}
	if err := c.load(c.changed()); err != nil {
		return nil, err
	}
	return &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: c.get}, nil
}

func (c *certificate) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if as := c.changed(); as != c.as {
		if err := c.load(as); err != nil {
			c.log.Error("the certificate cannot be read again, the one before goes on", "error", err)
			c.as = as // it is not read anew for every connection
		}
	}
	return c.loaded, nil
}

// changed is when the files were changed last, as far as that can be told.
func (c *certificate) changed() (as [2]time.Time) {
	for i, name := range []string{c.file, c.key} {
		if info, err := os.Stat(name); err == nil {
			as[i] = info.ModTime()
		}
	}
	return as
}

func (c *certificate) load(as [2]time.Time) error {
	loaded, err := tls.LoadX509KeyPair(c.file, c.key)
	if err != nil {
		return fmt.Errorf("the certificate in %s and its key in %s cannot be used: %w", c.file, c.key, err)
	}
	c.loaded, c.as = &loaded, as
	return nil
}
