package running_test

import (
	"bytes"
	"context"
	"encoding/json"
	"testing"

	"github.com/jackc/pgx/v5"
	"pgregory.net/rapid"

	"yalvo/internal/engine/running"
	"yalvo/tests/scratch"
)

func TestMain(m *testing.M) { scratch.Main(m) }

// What the service puts together is laid out as PostgreSQL lays out what it stores: nobody can see by an answer
// whether it stands there as it was stored.
func TestWhatIsPutTogetherIsLaidOutAsItWouldBeStored(t *testing.T) {
	t.Parallel()
	c, err := pgx.Connect(t.Context(), scratch.Prepared(t))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close(context.WithoutCancel(t.Context()))
	stored := func(t *rapid.T, text []byte) string {
		var is string
		if err := c.QueryRow(context.Background(), "SELECT $1::text::jsonb::text", string(text)).Scan(&is); err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		return is
	}
	rapid.Check(t, func(t *rapid.T) {
		v := anyValue(3).Draw(t, "value")
		text, err := json.Marshal(v)
		if err != nil {
			t.Fatal(err)
		}
		is := stored(t, text)
		for _, v := range []any{v, again(t, []byte(is)), again(t, text)} { // as computed, as read, as given
			if got, err := running.Stored(v); err != nil || string(got) != is {
				t.Fatalf("put together: %s\nstored:       %s\n%v", got, is, err)
			}
		}
		var members map[string]json.RawMessage
		if json.Unmarshal([]byte(is), &members) == nil && members != nil {
			if got, err := running.Stored(members); err != nil || string(got) != is {
				t.Fatalf("of members: %s\nstored:     %s\n%v", got, is, err)
			}
		}
	})
}

// again is a value from its text, as stored facts are read.
func again(t *rapid.T, text []byte) (v any) {
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.UseNumber()
	if err := dec.Decode(&v); err != nil {
		t.Fatal(err)
	}
	return v
}

func anyValue(deep int) *rapid.Generator[any] {
	text := rapid.OneOf(rapid.StringMatching(`[a-z]{0,3}`), rapid.StringOf(rapid.OneOf(
		rapid.RuneFrom([]rune("\x01\x1f\x7f\b\f\n\r\t\"\\/<>&é\u2028\U0001f426")), rapid.Rune())).
		Filter(func(s string) bool { return !bytes.ContainsRune([]byte(s), 0) })) // jsonb has no place for NUL
	all := []*rapid.Generator[any]{
		rapid.Just[any](nil), rapid.Bool().AsAny(), text.AsAny(), rapid.Int64().AsAny(), rapid.Float64().AsAny(),
		rapid.SampledFrom([]any{0.0, negativeZero, 1e21, -1e-9, 2.50}),
	}
	if deep > 0 {
		inner := anyValue(deep - 1)
		all = append(all, rapid.SliceOfN(inner, 0, 3).AsAny(), rapid.MapOfN(text, inner, 0, 4).AsAny(),
			rapid.MapOfN(text, inner, 1, 4).AsAny())
	}
	return rapid.OneOf(all...)
}

var negativeZero = func() float64 { zero := 0.0; return -zero }()
