package signin

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"sync"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/doors/tokens"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/signinsql"
)

// Server signs accounts up, in and out.
type Server struct {
	*running.App
	facts  *facts.Writer
	issuer *tokens.Issuer
}

// New makes it.
func New(w *facts.Writer, issuer *tokens.Issuer) *Server { return &Server{w.App, w, issuer} }

// Signed is what an account is given that has signed in (RFC 6749, section 5.1).
type Signed struct {
	Account string `json:"account"`
	Access  string `json:"access_token"`
	Type    string `json:"token_type"`
	Expires int    `json:"expires_in"` // seconds
	Refresh string `json:"refresh_token"`
}

// cost is what a look at a password takes: 19 MiB and some 40 ms of one core (OWASP Password
// Storage Cheat Sheet, argon2id).
var cost = &argon2id.Params{Memory: 19 << 10, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// nobody is a password's hash that none has: to look at it takes as long as at another.
var nobody = sync.OnceValues(func() (string, error) { return argon2id.CreateHash(rand.Text(), cost) })

// How long a password may be. Long ones made of words are as welcome as short ones of signs.
const (
	leastPassword = 10  // characters
	mostPassword  = 256 // bytes
)

// CheckPassword says what is wrong with a password that somebody chooses, empty for nothing.
func CheckPassword(password string) string {
	switch {
	case !utf8.ValidString(password):
		return "a password must be text"
	case utf8.RuneCountInString(password) < leastPassword || len(password) > mostPassword:
		return fmt.Sprintf("a password has %d characters at least, and %d bytes at most", leastPassword, mostPassword)
	}
	return ""
}

// by is what accounts of the design in force sign in by.
func (d *Server) by(ctx context.Context) (*running.Version, *plan.Collection, *plan.Unique, error) {
	v, err := d.Now(ctx)
	if err != nil {
		return nil, nil, nil, err
	}
	if v.Plan.Design.SignIn == nil {
		return nil, nil, nil, running.Refuse(
			running.CodeNoSignIn,
			"accounts of this app do not sign in here: its design "+
				"says `sign_in: FIELD` if they shall",
		)
	}
	c := v.Plan.Collection(v.Plan.Design.Accounts.Name)
	return v, c, c.UniqueNamed(v.Plan.Design.SignIn.Name), nil
}

// Field is the name of what accounts sign in by, empty if they do not sign in here.
func (d *Server) Field(ctx context.Context) (string, error) {
	_, _, field, err := d.by(ctx)
	if err != nil {
		return "", err
	}
	return field.Name, nil
}

// SignUp creates the document of an account with its password, both or neither. The draft is
// a stranger's: the design says what they may write. Whoever repeats it, with the password,
// is signed in again: an answer may get lost.
func (d *Server) SignUp(ctx context.Context, from string, written map[string]any, password string) (Signed,
	facts.Result,
	error) {
	_, c, field, err := d.by(ctx)
	if err != nil {
		return Signed{}, facts.Result{}, err
	}
	if err := d.count(ctx, d.signingUp(from)); err != nil {
		return Signed{}, facts.Result{}, err
	}
	hash, err := argon2id.CreateHash(password, cost)
	if err != nil {
		return Signed{}, facts.Result{}, err
	}
	stranger := running.Caller{Viewer: running.Viewer{Judged: true}}
	result, err := d.facts.CreateWith(ctx, stranger, facts.Draft{Collection: c.Name, Facts: written, SigningUp: true},
		func(tx *store.Tx, key string) error { return signinsql.SetPassword(tx, c, key, hash) })
	if name, is := written[field.Name].(string); is && isTaken(err, field) {
		return d.signUpAgain(ctx, from, name, written, password, err)
	}
	if err != nil {
		return Signed{}, facts.Result{}, err
	}
	account, _, err := signinsql.AccountAt(ctx, d.Store, c, result.Document.ID)
	if err != nil {
		return Signed{}, result, err
	}
	signed, err := d.begin(ctx, account, from)
	return signed, result, err
}

// isTaken tells whether what somebody wants to sign in by is taken.
func isTaken(err error, field *plan.Unique) bool {
	var refusal *running.Refusal
	return errors.As(err, &refusal) && slices.ContainsFunc(refusal.Mistakes, func(m design.Mistake) bool {
		return m.Code == design.MistakeTaken && m.Pointer == "/facts/"+field.Name
	})
}

// signUpAgain signs in whoever has signed up with the same facts and the same password. For
// anybody else the name is taken; each try counts as one to sign in.
func (d *Server) signUpAgain(ctx context.Context, from, name string, written map[string]any, password string,
	taken error) (Signed, facts.Result, error) {
	_, c, field, err := d.by(ctx)
	if err != nil {
		return Signed{}, facts.Result{}, err
	}
	tries := d.signingIn(from, name, false)
	if err := d.count(ctx, tries); err != nil {
		return Signed{}, facts.Result{}, err
	}
	account, _, err := signinsql.AccountNamed(ctx, d.Store, c, field, name)
	if err == nil {
		err = matches(account, password)
	}
	if err == errWrong {
		err = taken
	}
	if err != nil {
		return Signed{}, facts.Result{}, err
	}
	stranger := running.Caller{Viewer: running.Viewer{Judged: true}}
	result, same, err := d.facts.Repeated(ctx, stranger, c, account.Key, written)
	if err == nil && !same {
		err = taken
	}
	if err == nil {
		err = signinsql.UncountTry(ctx, d.Store, tries)
	}
	if err != nil {
		return Signed{}, facts.Result{}, err
	}
	signed, err := d.begin(ctx, account, from)
	return signed, result, err
}

// SignIn signs an account in by its name, which is the value of the field that the design
// names.
func (d *Server) SignIn(ctx context.Context, from, name, password string) (Signed, error) {
	_, c, field, err := d.by(ctx)
	if err != nil {
		return Signed{}, err
	}
	familiar, err := d.Familiar(ctx, from, name)
	if err != nil {
		return Signed{}, err
	}
	tries := d.signingIn(from, name, familiar)
	if err := d.count(ctx, tries); err != nil {
		return Signed{}, err
	}
	account, _, err := signinsql.AccountNamed(ctx, d.Store, c, field, name)
	if err != nil {
		return Signed{}, err
	}
	if err := matches(account, password); err != nil {
		return Signed{}, wrongIfSo(err, field.Name)
	}
	if err := signinsql.UncountTry(ctx, d.Store, tries); err != nil {
		return Signed{}, err
	}
	return d.begin(ctx, account, from)
}

// ChangePassword changes the password of an account that knows the one it has. All of its
// sign-ins end.
func (d *Server) ChangePassword(ctx context.Context, from, key, was, is string) error {
	_, c, _, err := d.by(ctx)
	if err != nil {
		return err
	}
	tries := d.signingIn(from, key, false) // by a token of the account: nobody else can
	if err := d.count(ctx, tries); err != nil {
		return err
	}
	account, _, err := signinsql.AccountAt(ctx, d.Store, c, key)
	if err != nil {
		return err
	}
	if err := matches(account, was); err != nil {
		return wrongIfSo(err, "")
	}
	hash, err := argon2id.CreateHash(is, cost)
	if err != nil {
		return err
	}
	changed, err := signinsql.ChangePassword(ctx, d.Store, account.N, account.Hash, hash)
	if err == nil && !changed {
		err = running.Refuse(running.CodeConflict, "the password has been changed meanwhile")
	}
	if err != nil {
		return err
	}
	return signinsql.UncountTry(ctx, d.Store, tries)
}

// GivePassword gives an account a password, whatever it had. All of its sign-ins end.
func (d *Server) GivePassword(ctx context.Context, key, password string) error {
	_, c, _, err := d.by(ctx)
	if err != nil {
		return err
	}
	hash, err := argon2id.CreateHash(password, cost)
	if err != nil {
		return err
	}
	return d.Store.Write(ctx, func(tx *store.Tx) error {
		found, err := signinsql.GivePassword(tx, c, key, hash)
		if err == nil && !found {
			err = running.NotFound(c, key)
		}
		return err
	})
}

// Enrol creates the document of an account that the app's identity provider has signed in. Its
// id is the one that the provider knows it by.
func (d *Server) Enrol(ctx context.Context, account string, written map[string]any) (facts.Result, error) {
	v, err := d.Now(ctx)
	if err != nil {
		return facts.Result{}, err
	}
	if v.Plan.Design.Accounts == nil {
		return facts.Result{}, running.Refuse(running.CodeNoSignIn, "the app's design names no accounts")
	}
	stranger := running.Caller{Viewer: running.Viewer{Judged: true}}
	return d.facts.Create(
		ctx,
		stranger,
		facts.Draft{Collection: v.Plan.Design.Accounts.Name, ID: account, Facts: written, SigningUp: true},
	)
}

// errWrong is the error of a password that is not the account's.
var errWrong = running.Refuse(running.CodeWrongPassword, "the password is wrong")

// matches looks at a password. It takes as long if there is no such account.
func matches(account signinsql.Account, password string) error {
	hash, err := account.Hash, error(nil)
	if hash == "" {
		if hash, err = nobody(); err != nil {
			return err
		}
	}
	if len(password) > mostPassword {
		password = password[:mostPassword+1] // which nobody has
	}
	is, err := argon2id.ComparePasswordAndHash(password, hash)
	if err == nil && (!is || account.Hash == "") {
		err = errWrong
	}
	return err
}

// wrongIfSo says of a wrong password nothing that tells whether there is such an account.
func wrongIfSo(err error, field string) error {
	if err == errWrong && field != "" {
		return running.Refuse(running.CodeWrongPassword, "the %s or the password is wrong", field)
	}
	return err
}
