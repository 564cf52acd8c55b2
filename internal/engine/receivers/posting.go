package receivers

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"time"
)

// Event is what a receiver is told: a change in the form of CloudEvents 1.0, structured JSON.
type Event struct {
	ID      string // the same each time it is sent
	Source  string
	Type    string
	Subject string
	Time    time.Time
	Data    json.RawMessage // in JSON
}

// MarshalJSON is part of [json.Marshaler].
func (e Event) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		SpecVersion string          `json:"specversion"`
		ID          string          `json:"id"`
		Source      string          `json:"source"`
		Type        string          `json:"type"`
		Subject     string          `json:"subject"`
		Time        time.Time       `json:"time"`
		ContentType string          `json:"datacontenttype"`
		Data        json.RawMessage `json:"data"`
	}{"1.0", e.ID, e.Source, e.Type, e.Subject, e.Time, "application/json", e.Data})
}

// Post sends an event to an address, signed with the key in an environment variable if one is named. The error says
// what the receiver did instead of taking it; patience is for how long it was waited for.
func Post(ctx context.Context, client *http.Client, to, key string, event Event, patience time.Duration) error {
	body, err := json.Marshal(event)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, to, bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/cloudevents+json")
	if err := sign(req, body, key, time.Now()); err != nil {
		return err
	}
	resp, err := client.Do(req)
	if err != nil {
		return fmt.Errorf("%s %s", to, NotAnswered(err, patience))
	}
	// Nothing of what a receiver answers is kept or shown but its status.
	if err := resp.Body.Close(); err != nil {
		return err
	}
	switch {
	case resp.StatusCode >= 200 && resp.StatusCode < 300:
		return nil
	case resp.StatusCode >= 300 && resp.StatusCode < 400:
		return fmt.Errorf("%s answered %d, and redirects are not followed: write the address it has now into the "+
			"design", to, resp.StatusCode)
	}
	return fmt.Errorf("%s answered %d %s", to, resp.StatusCode, http.StatusText(resp.StatusCode))
}

// sign signs a request by HTTP Message Signatures (RFC 9421, hmac-sha256) over
// its method, address and the digest of its body (RFC 9530), with the key in an
// environment variable. Without a variable only the digest is added.
func sign(req *http.Request, body []byte, variable string, now time.Time) error {
	sum := sha256.Sum256(body)
	digest := "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
	req.Header.Set("Content-Digest", digest)
	if variable == "" {
		return nil
	}
	key := os.Getenv(variable)
	if key == "" {
		return fmt.Errorf("the environment variable %s with the signing key is not set for this service", variable)
	}
	params := fmt.Sprintf(`("@method" "@target-uri" "content-digest");created=%d;keyid="%s";alg="hmac-sha256"`,
		now.Unix(), variable)
	base := fmt.Sprintf("\"@method\": %s\n\"@target-uri\": %s\n\"content-digest\": %s\n\"@signature-params\": %s",
		req.Method, req.URL.String(), digest, params)
	mac := hmac.New(sha256.New, []byte(key))
	mac.Write([]byte(base))
	req.Header.Set("Signature-Input", "yalvo="+params)
	req.Header.Set("Signature", "yalvo=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":")
	return nil
}
