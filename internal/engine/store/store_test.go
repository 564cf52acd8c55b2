package store_test

import (
	"strings"
	"testing"

	"yalvo/internal/engine/store/storetest"

	"yalvo/internal/engine/store"
	"yalvo/tests/scratch"
)

func TestMain(m *testing.M) { scratch.Main(m) }

func TestTextsOfAnyKindArriveWhole(t *testing.T) {
	s := storetest.Open(t)
	for _, text := range []string{"", "plain", `with "quotes"`, `back\slash`, `\"`, "{a,b}", "NULL", "new\nline",
		"ü🐸"} {
		got, err := s.SecondText("first", text)
		if err != nil {
			t.Fatalf("%q: %v", text, err)
		}
		if got != text {
			t.Errorf("got %q, want %q", got, text)
		}
	}
}

func TestADatabaseOfAnotherVersionIsLeftAlone(t *testing.T) {
	address := scratch.Database(t)
	s, err := store.Open(t.Context(), address, 2)
	if err != nil {
		t.Fatal(err)
	}
	if err := storetest.Exec(s, "UPDATE settings SET value = '99' WHERE name = 'schema'"); err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if _, err := store.Open(t.Context(), address, 2); err == nil || !strings.Contains(err.Error(), "version 99") {
		t.Errorf("got %v", err)
	}
}
