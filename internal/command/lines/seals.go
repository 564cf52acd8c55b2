package lines

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"

	"filippo.io/age"

	"yalvo/client"
)

// begins reads what the first line of a dump says of what is sealed in it.
func (l *Loader) begins(head []byte) (err error) {
	var said struct {
		Secrets struct {
			client.Secrets
			Seal string
		}
	}
	if err := json.Unmarshal(head, &said); err != nil {
		return fmt.Errorf("the first line of the dump cannot be read: %w", err)
	}
	l.Without = said.Secrets.Secrets
	if said.Secrets.Seal == "" || l.Open == nil {
		return nil
	}
	if l.opens, err = l.Open(said.Secrets.Seal); err == nil && l.opens != nil {
		l.Without = client.Secrets{}
	}
	return err
}

func isSealed(text []byte) bool { return bytes.HasPrefix(text, []byte(`{"sealed"`)) }

// sealed loads what is in a sealed line, when all documents are there that it may be about.
func (l *Loader) sealed(ctx context.Context, batch pile, text []byte) (pile, error) {
	if l.opens == nil {
		return batch, nil
	}
	if err := l.send(ctx, batch, true); err != nil {
		return pile{}, err
	}
	if err := l.sendOnce(ctx, true); err != nil {
		return pile{}, err
	}
	var line struct{ Sealed []byte }
	if err := json.Unmarshal(text, &line); err != nil {
		return pile{}, fmt.Errorf("a sealed line of the dump cannot be read: %w", err)
	}
	opened, err := age.Decrypt(bytes.NewReader(line.Sealed), l.opens)
	if err != nil {
		return pile{}, fmt.Errorf("a sealed line of the dump cannot be opened: %w", err)
	}
	lines, err := io.ReadAll(io.LimitReader(opened, bytesAtOnce))
	if err != nil {
		return pile{}, fmt.Errorf("a sealed line of the dump cannot be opened: %w", err)
	}
	got, err := l.Service.LoadSecrets(ctx, lines)
	l.Secrets.Passwords += got.Passwords
	l.Secrets.SignIns += got.SignIns
	l.Secrets.Keys += got.Keys
	l.Secrets.Missing += got.Missing
	return pile{}, err
}

// SealWork is how much it takes to try a passphrase, as a power of two: about a second of a core (scrypt, RFC 7914).
var SealWork = 18

// Seal makes a recipient that lines are sealed for, and what a passphrase opens it by.
func Seal(passphrase string) (recipient, seal string, err error) {
	identity, err := age.GenerateX25519Identity()
	if err != nil {
		return "", "", err
	}
	by, err := age.NewScryptRecipient(passphrase)
	if err != nil {
		return "", "", err
	}
	by.SetWorkFactor(SealWork)
	var out bytes.Buffer
	w, err := age.Encrypt(&out, by)
	if err != nil {
		return "", "", err
	}
	if _, err := io.WriteString(w, identity.String()); err != nil {
		return "", "", err
	}
	if err := w.Close(); err != nil {
		return "", "", err
	}
	return identity.Recipient().String(), base64.RawURLEncoding.EncodeToString(out.Bytes()), nil
}

// Unseal opens a seal by its passphrase.
func Unseal(seal, passphrase string) (age.Identity, error) {
	by, err := age.NewScryptIdentity(passphrase)
	if err != nil {
		return nil, err
	}
	sealed, err := base64.RawURLEncoding.DecodeString(seal)
	if err != nil {
		return nil, fmt.Errorf("the dump's seal is none that this program makes: %w", err)
	}
	opened, err := age.Decrypt(bytes.NewReader(sealed), by)
	if err != nil {
		return nil, fmt.Errorf("the passphrase does not open what the dump holds of sign-ins: %w", err)
	}
	text, err := io.ReadAll(io.LimitReader(opened, 1<<10))
	if err != nil {
		return nil, err
	}
	return age.ParseX25519Identity(string(text))
}
