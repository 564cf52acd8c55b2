package demo_test

import (
	"flag"
	"os"
	"path/filepath"
	"testing"

	"yalvo/demo"
)

var write = flag.Bool("write", false, "write the export that is kept in the repository anew")

// The export in the repository is what the generator makes of seed 1.
func TestTheExportIsThatOfTheGenerator(t *testing.T) {
	folder := t.TempDir()
	if *write {
		folder = "export"
	}
	planted, err := demo.Export(demo.Make(demo.ExportSize, 1), 1, folder)
	if err != nil {
		t.Fatal(err)
	}
	if len(planted) < 40 {
		t.Errorf("%d faults are planted", len(planted))
	}
	for _, name := range []string{"users.json", "posts.json"} {
		is, err := os.ReadFile(filepath.Join(folder, name))
		kept, keptErr := os.ReadFile(filepath.Join("export", name))
		if err != nil || keptErr != nil || string(is) != string(kept) {
			t.Errorf("%s is not the generator's (%v, %v): go test ./demo -run Export -write", name, err, keptErr)
		}
	}
}
