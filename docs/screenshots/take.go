// Command take photographs the console of a running demo into docs/screenshots:
//
//	go run ./docs/screenshots http://127.0.0.1:7480
package main

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"time"

	"github.com/chromedp/chromedp"

	"yalvo/client"
	"yalvo/internal/command/keyring"
)

// shot is a picture of a page. The page is ready when something that it shows
// last is there; with press, something is pressed first.
type shot struct {
	file, path, press, ready string
	width, height            int64
	dark                     bool
}

var pages = []shot{
	{"settled.png", "/", "", "table tbody tr td.when", 1280, 800, false},
	{"document.png", "/documents/sightings/s00001", "", "td .kept", 1280, 800, false},
	{"together.png", "/together?left=ada_birkdale&right=arno_marshwood", `[data-side="left"] [data-act="like"]`,
		`[data-side="left"] [data-act="like"][aria-pressed="true"]`, 1280, 800, false},
	{"draft.png", "/design/drafts/autumn-cards", "[data-cure]", ".cure .cm-content", 1280, 800, false},
	{"parked.png", "/parked", "", "h1", 1280, 800, false},
	{"audit.png", "/audit", "", "tr[data-drift]", 1280, 800, false},
	{"change.png", "/", `a[href^="/changes/"]`, ".step", 1280, 800, false},
	{"design.png", "/design", `[data-back="1"]`, `[data-part="difference"] tbody tr`, 1280, 800, false},
	{"access.png", "/access?as=arno_marshwood&kind=edit&document=members/keeper&facts=" +
		url.QueryEscape(`{"muted": true}`), "", `[data-part="steps"] li`, 1280, 800, false},
	{"lists.png", "/lists/liked_this_week?as=fenna_meredale", "", `[data-part="entries"] tbody tr`, 1280, 800, false},
	{"calls.png", "/calls?call=readLikedThisWeek", `[data-act="send"]`, `[data-part="answer"] pre`, 1280, 800, false},
	{"screens.png", "/screens?as=ada_birkdale", "", `[data-screen="profile"] article`, 1280, 800, false},
	{"picture.png", "/design/picture?at=collections.members.fields.name", "", `.run.lit`, 1280, 800, false},
}

func main() {
	if len(os.Args) < 2 {
		fmt.Fprintln(os.Stderr, "usage: go run ./docs/screenshots URL [FOLDER [FILE ...]]")
		os.Exit(2)
	}
	folder := "docs/screenshots"
	if len(os.Args) > 2 {
		folder = os.Args[2]
	}
	for _, p := range pages {
		if len(os.Args) > 3 && !slices.Contains(os.Args[3:], p.file) {
			continue
		}
		if err := take(os.Args[1], folder, p); err != nil {
			fmt.Fprintln(os.Stderr, p.file+":", err)
			os.Exit(1)
		}
	}
}

// signIn opens a link that signs in, with the key that is remembered for the service.
func signIn(ctx context.Context, base string, signedIn chromedp.Action[chromedp.Void]) error {
	key, err := keyring.Of(base)
	if err != nil {
		return err
	}
	link, _, err := client.New(base).With(key).Link(ctx)
	if err != nil {
		return err
	}
	return chromedp.Do(ctx, chromedp.Navigate(link), signedIn)
}

func take(base, folder string, s shot) error {
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("hide-scrollbars", true))
	if shell, err := exec.LookPath("chromium-headless-shell"); err == nil { // as the tests do
		options = append(options, chromedp.ExecPath(shell))
	}
	if s.dark {
		options = append(options, chromedp.Flag("blink-settings", "preferredColorScheme=0"))
	}
	allocator, cancel := chromedp.NewExecAllocator(context.Background(), options...)
	defer cancel()
	ctx, cancel := chromedp.NewContext(allocator)
	defer cancel()
	ctx, cancel = context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	badge := chromedp.WaitVisible(chromedp.CSS("a.badge.good, a.badge.bad"))
	err := chromedp.Do(ctx, chromedp.EmulateViewport(s.width, s.height))
	if err == nil {
		err = signIn(ctx, base, badge)
	}
	if err == nil {
		err = chromedp.Do(ctx, chromedp.Navigate(base+s.path), badge)
	}
	if err == nil && s.press != "" {
		err = chromedp.Do(ctx, chromedp.WaitVisible(chromedp.CSS(s.press)))
		if err == nil {
			_, err = chromedp.Run(ctx, chromedp.Evaluate[bool](fmt.Sprintf("document.querySelector(%q).click(), true",
				s.press)))
		}
	}
	if err == nil {
		err = chromedp.Do(ctx, chromedp.WaitVisible(chromedp.CSS(s.ready)))
	}
	if err != nil {
		return err
	}
	picture, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, s.file), picture, 0o644)
}
