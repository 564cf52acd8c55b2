package signin

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"strings"
	"time"

	"yalvo/internal/doors/tokens"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/signinsql"
)

// How long an account stays signed in, and how often.
const (
	signInTime = 60 * 24 * time.Hour // without its refresh token being used
	mostSigned = 20                  // sign-ins of one account
	repeatTime = 20 * time.Second    // in which a refresh may be repeated, its answer having got lost
)

// begin signs an account in.
func (d *Server) begin(ctx context.Context, account signinsql.Account, from string) (Signed, error) {
	id, secret := rand.Text(), rand.Text()
	err := signinsql.AddSignIn(ctx, d.Store, signinsql.SignIn{ID: id, Account: account.N, Token: digest(secret),
		Place: d.place(from)}, signInTime, mostSigned)
	if err != nil {
		return Signed{}, err
	}
	return d.signed(account.Key, id, secret)
}

func (d *Server) signed(account, id, secret string) (Signed, error) {
	access, err := d.issuer.Issue(account, time.Now())
	return Signed{Account: account, Access: access, Type: "Bearer", Expires: int(tokens.AccessTime.Seconds()),
		Refresh: id + "." + secret}, err
}

// Refresh gives an account a new access token, and a refresh token in the place of the one it
// has brought. One that comes twice has been stolen, or kept by whoever it was stolen from: the
// sign-in ends (RFC 9700, section 4.14.2). Only if the answer may have got lost, which is for
// some seconds, the same is answered again.
func (d *Server) Refresh(ctx context.Context, token string) (Signed, error) {
	id, secret, _ := strings.Cut(token, ".")
	var out Signed
	stolen := false
	err := d.Store.Write(ctx, func(tx *store.Tx) error {
		in, found, err := signinsql.FindSignIn(tx, id)
		if err != nil {
			return err
		}
		if !found || in.Expired || in.Key == "" {
			return errSignedOut
		}
		next := d.after(secret)
		switch {
		case hmac.Equal(digest(secret), in.Token):
			err = signinsql.Rotate(tx, id, digest(next), signInTime)
		case hmac.Equal(digest(secret), in.Before) && time.Since(in.Rotated) < repeatTime:
		default:
			stolen = true
			return signinsql.SignOut(tx, id)
		}
		if err == nil {
			out, err = d.signed(in.Key, id, next)
		}
		return err
	})
	if err == nil && stolen {
		d.Log.Warn("a refresh token came that had been replaced: its sign-in was ended", "sign-in", id)
		err = errSignedOut
	}
	return out, err
}

var errSignedOut = running.Refuse(running.CodeSignedOut, "this refresh token holds no more: sign in again")

// SignOut ends the sign-in of a refresh token. It may have ended before.
func (d *Server) SignOut(ctx context.Context, token string) error {
	id, secret, _ := strings.Cut(token, ".")
	return d.Store.Write(ctx, func(tx *store.Tx) error {
		in, found, err := signinsql.FindSignIn(tx, id)
		if err != nil || !found || !hmac.Equal(digest(secret), in.Token) && !hmac.Equal(digest(secret), in.Before) {
			return err
		}
		return signinsql.SignOut(tx, id)
	})
}

// after is the secret that follows another. It is made of that one, so that a refresh whose
// answer got lost can be answered again, and of the issuer's key, so that nobody else can.
func (d *Server) after(secret string) string {
	mac := hmac.New(sha256.New, d.issuer.Key)
	mac.Write([]byte("refresh " + secret)) // never fails
	return base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(mac.Sum(nil)[:20])
}

func digest(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}
