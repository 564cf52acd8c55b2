package request

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/openapi"
	"yalvo/internal/engine/running"
)

// Positions turns positions in the journal into what an account or a stranger is told of them, and
// back. The numbers would tell how much everybody else writes: each is one block of AES (FIPS 197),
// which says nothing but whether two are the same. All services of a database use one key, so that each
// reads what the others gave out. Operators are told the numbers.
type Positions struct {
	block cipher.Block
	wrong error // the key cannot be used
}

// NewPositions encrypts with a key that is derived from another.
func NewPositions(key []byte) Positions {
	derived := sha256.Sum256(append([]byte("positions\n"), key...))
	block, err := aes.NewCipher(derived[:])
	return Positions{block, err}
}

// What a block holds: a kind, of a position up to which all is meant a few bytes of chance, the number,
// and zeros by which it is known again.
const (
	kindExact = 1
	kindUpTo  = 2
)

// Tell puts the position of a write in the answer.
func (ps Positions) Tell(c *echo.Context, p running.Position) error {
	told, err := ps.For(c, p)
	if err == nil {
		c.Response().Header().Set(openapi.HeaderPosition, told)
	}
	return err
}

// For is a position as whoever has sent a request is told of it.
func (ps Positions) For(c *echo.Context, p running.Position) (string, error) {
	if IsOperator(c) || ps.wrong != nil {
		return string(p), ps.wrong
	}
	var plain, sealed [aes.BlockSize]byte
	number, upTo := strings.CutPrefix(string(p), "..")
	seq, err := running.Position(strings.TrimPrefix(number, "=")).Exactly()
	if err != nil {
		return "", fmt.Errorf("the position %q cannot be told: %w", p, err)
	}
	plain[0] = kindExact
	if upTo { // two that are the same would tell that nothing was written between them
		plain[0] = kindUpTo
		if _, err := rand.Read(plain[1:4]); err != nil {
			return "", err
		}
	}
	binary.BigEndian.PutUint64(plain[4:], uint64(seq))
	ps.block.Encrypt(sealed[:], plain[:])
	return base64.RawURLEncoding.EncodeToString(sealed[:]), nil
}

// Asked are the positions that a request waits for, as the service knows them. What was never given out
// is left out: it is settled like any other of which nothing is due. Nothing is left of them then.
func (ps Positions) Asked(c *echo.Context, text string) (string, error) {
	if IsOperator(c) || text == "all" || ps.wrong != nil {
		return text, ps.wrong
	}
	var known []string
	for one := range strings.SplitSeq(text, ",") {
		sealed, err := base64.RawURLEncoding.DecodeString(strings.TrimSpace(one))
		if err != nil || len(sealed) != aes.BlockSize {
			return "", running.Refuse(running.CodeInvalid,
				"%q is no position: give what a write answered with, several separated by commas, or `all`", one)
		}
		var plain [aes.BlockSize]byte
		ps.block.Decrypt(plain[:], sealed)
		seq := binary.BigEndian.Uint64(plain[4:12])
		if binary.BigEndian.Uint32(plain[12:]) != 0 || seq > 1<<62 {
			continue
		}
		switch plain[0] {
		case kindExact:
			known = append(known, string(running.At(int64(seq))))
		case kindUpTo:
			known = append(known, string(running.UpTo(int64(seq))))
		}
	}
	return strings.Join(known, ","), nil
}
