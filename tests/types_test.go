package tests

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"yalvo/demo"
)

// app is what a program does with the types of Fenwatch, and what they keep it from doing.
const app = `
import type { Sightings, SightingsFacts, HomeEntry, Page } from './fenwatch'

export function line(s: Sightings): string {
  const seen: number = s.kept.like_count + (s.facts.birds ?? 0)
  return [s.facts.text, s.kept.byline?.name ?? '', seen, s.kept.last_remarks.map((r) => r.text ?? '').join(), s.created].join(' ')
}
export const first = (page: Page<Sightings>) => page.documents[0]?.facts.spot?.name
export const entry = (e: HomeEntry): string => e.facts.text + (e.kept.byline?.handle ?? '')
export const facts: SightingsFacts = { text: 'a heron', author: 'ada', species: ['Heron'] }
// @ts-expect-error: every sighting has a text
export const none: SightingsFacts = { author: 'ada' }
// @ts-expect-error: an author's card may be missing
export const name = (s: Sightings): string => s.kept.byline.name
`

// The types are written by the command and compiled as an app's program compiles them. Debian
// has no compiler for Swift and Dart, and a Kotlin too old for the library that the types use:
// these are compared with files alone, in package models.
func TestTypesOfAnAppCompile(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	design := filepath.Join(dir, "fenwatch.yaml")
	if err := os.WriteFile(design, demo.Design, 0o644); err != nil {
		t.Fatal(err)
	}
	text := must(command(t, "types", "--for", "typescript", design).Output())(t)
	if err := os.WriteFile(filepath.Join(dir, "fenwatch.ts"), text, 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "app.ts"), []byte(app), 0o644); err != nil {
		t.Fatal(err)
	}
	tsc := exec.Command("node", "../console/node_modules/typescript/bin/tsc", "--strict", "--noEmit", "--skipLibCheck", "--module", "esnext",
		"--moduleResolution", "bundler", "--target", "es2022", filepath.Join(dir, "app.ts"))
	if said, err := tsc.CombinedOutput(); err != nil {
		t.Errorf("%v\n%s", err, said)
	}
}
