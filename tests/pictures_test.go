package tests

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"mime/multipart"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"yalvo/client"
	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
)

// aPicture is one that no other is like.
func aPicture(t testing.TB, n int) []byte { return pictureOf(t, 300, 200, n) }

func pictureOf(t testing.TB, w, h, n int) []byte {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.SetRGBA(i%w, i/w, color.RGBA{uint8(n), uint8(i / w), uint8(i), 255})
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, img, nil); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// picturePonds are guarded, and people sign up; posts have a photo, and a list of more.
func picturePonds(t *testing.T) string {
	return changed(t, signingPonds(t), "photo:  {type: media}",
		"photo:  {type: media}\n      more:   {type: list, of: {type: media}, max: 5}\n      hidden_one: {type: media}",
		"    posts:\n      read:", "    posts:\n      fields: {hidden_one: {read: \"doc.author == me\"}}\n      read:")
}

func (w world) sees(as, picture string) bool {
	w.t.Helper()
	_, _, err := w.As(as).Download(w.t.Context(), picture, "thumbnail")
	if p, is := err.(*client.Problem); err != nil && (!is || p.Status != 404) {
		w.t.Fatal(err)
	}
	return err == nil
}

// files are those in the folder of pictures.
func files(t *testing.T, dir string) int {
	t.Helper()
	n := 0
	err := filepath.WalkDir(dir, func(_ string, e os.DirEntry, err error) error {
		if err == nil && !e.IsDir() {
			n++
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return n
}

// becomes waits until a number is what it should be.
func becomes(t *testing.T, what string, want int, is func() int) {
	t.Helper()
	until(t, fmt.Sprint(what, ": ", want), func() bool { return is() == want })
}

func TestAPictureIsSeenByWhomWhatRefersToItIsReadBy(t *testing.T) {
	t.Parallel()
	w := start(t, picturePonds(t))
	w.pondsPeople()
	ctx := t.Context()
	kept := must(w.As("ada").Upload(ctx, aPicture(t, 1)))(t)
	same(t, "how large it is", []int{kept.Width, kept.Height}, []int{300, 200})
	same(t, "before anything refers to it", fmt.Sprint(w.sees("ada", kept.Picture), w.sees("ben", kept.Picture), w.sees("~", kept.Picture)), "true false false")
	_, _, err := w.As("ben").Create(ctx, "posts", "stolen", map[string]any{"text": "mine?", "photo": kept.Picture})
	refused(t, err, "invalid", "/facts/photo", "upload it first")
	_, _, err = w.As("ada").Create(ctx, "posts", "p1", map[string]any{"text": "a heron", "photo": kept.Picture})
	if err != nil {
		t.Fatal(err)
	}
	same(t, "when a post shows it", fmt.Sprint(w.sees("ada", kept.Picture), w.sees("ben", kept.Picture), w.sees("~", kept.Picture)), "true true true")
	must(w.Set(ctx, "block", "ada", "ben"))(t)
	same(t, "when ben is blocked", fmt.Sprint(w.sees("ada", kept.Picture), w.sees("ben", kept.Picture)), "true false")
	_, _, err = w.As("ben").Patch(ctx, "posts/b1", map[string]any{"photo": kept.Picture})
	refused(t, err, "invalid", "/facts/photo")

	secret := must(w.As("cleo").Upload(ctx, aPicture(t, 2)))(t).Picture
	if _, _, err := w.As("cleo").Create(ctx, "posts", "c1", map[string]any{"text": "look", "hidden_one": secret}); err != nil {
		t.Fatal(err)
	}
	same(t, "one in a field for her alone", fmt.Sprint(w.sees("cleo", secret), w.sees("ada", secret)), "true false")
	if _, _, err := w.As("cleo").Patch(ctx, "posts/c1", map[string]any{"text": secret}); err != nil {
		t.Fatal(err)
	}
	same(t, "and in a text", w.sees("ada", secret), false)
	if _, _, err := w.As("cleo").Patch(ctx, "posts/c1", map[string]any{"more": []string{secret}}); err != nil {
		t.Fatal(err)
	}
	same(t, "and in a list for all", w.sees("ada", secret), true)
	w.Settle()
	w.auditFindsNothing()
}

func TestPicturesThatNothingRefersToGo(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	w := start(t, picturePonds(t), func(o *service.Options) { o.Pictures = dir })
	w.pondsPeople()
	ctx := t.Context()
	var kept [6]string
	for i := range kept {
		kept[i] = must(w.As("ada").Upload(ctx, aPicture(t, i)))(t).Picture
	}
	same(t, "three sizes of each", files(t, dir), 18)
	create := func(id string, facts map[string]any) {
		t.Helper()
		facts["text"] = id
		if _, _, err := w.As("ada").Create(ctx, "posts", id, facts); err != nil {
			t.Fatal(err)
		}
	}
	create("p0", map[string]any{"photo": kept[0]})
	create("p1", map[string]any{"photo": kept[1], "more": []string{kept[2]}})
	create("p2", map[string]any{"photo": kept[1]})
	rows := func() int { return int(w.Number("SELECT count(*) FROM pictures")) }

	w.remove("posts/p0")
	becomes(t, "a removed post's goes with it", 5, rows)
	if _, _, err := w.Patch(ctx, "posts/p1", map[string]any{"more": nil, "photo": kept[3]}); err != nil {
		t.Fatal(err)
	}
	becomes(t, "one that was replaced goes, and what another post shows stays", 4, rows)
	same(t, "what another shows", w.sees("ben", kept[1]), true)
	w.SQL("UPDATE picture_uploads SET uploaded = now() - interval '2 days' WHERE picture = $1", strings.TrimPrefix(kept[4], "pictures/"))
	becomes(t, "one that was never used goes after a day", 3, rows)
	becomes(t, "with its files", 9, func() int { return files(t, dir) })

	forgotten := must(w.Forget(ctx, "people/ada"))(t) // and kept[5], which she has uploaded and not used
	report := must(w.AwaitForgotten(ctx, forgotten.ID))(t)
	same(t, "what is left of her", len(report.Left), 0)
	same(t, "her pictures", rows(), 0)
	same(t, "her files", files(t, dir), 0)
}

// An app moves with a dump and a copy of the folder of pictures: they are taken up from there,
// however old, and seen by whom what refers to them is read by. What is left over of others goes.
func TestAnAppMovesWithItsPictures(t *testing.T) {
	t.Parallel()
	dir, copied := t.TempDir(), t.TempDir()
	source := picturePonds(t)
	w := start(t, source, func(o *service.Options) { o.Pictures = dir })
	w.pondsPeople()
	ctx := t.Context()
	data := aPicture(t, 1)
	shown, loose := must(w.As("ada").Upload(ctx, data))(t), must(w.As("ada").Upload(ctx, aPicture(t, 2)))(t)
	_, _, err := w.As("ada").Create(ctx, "posts", "p1", map[string]any{"text": "a heron", "photo": shown.Picture})
	if err != nil {
		t.Fatal(err)
	}
	w.Settle()
	file := filepath.Join(t.TempDir(), "ponds.ndjson")
	w.yalvo("dump", file).says(t, 0)

	other := start(t, source, func(o *service.Options) { o.Pictures = copied })
	if err := os.CopyFS(copied, os.DirFS(dir)); err != nil {
		t.Fatal(err)
	}
	half := strings.Repeat("ab", 32)
	for name, old := range map[string]bool{half + "-full": true, half + "-full-part77": true, "holiday.jpg": true,
		strings.Repeat("cd", 32) + "-medium": false} {
		path := filepath.Join(copied, name[:2], name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o700), os.WriteFile(path, data, 0o600)); err != nil {
			t.Fatal(err)
		}
		if old {
			age(t, path)
		}
	}
	for _, picture := range []client.Picture{shown, loose} {
		id := strings.TrimPrefix(picture.Picture, "pictures/")
		for _, size := range []string{"full", "medium", "thumbnail"} {
			age(t, filepath.Join(copied, id[:2], id+"-"+size))
		}
	}
	other.Evolving.Store(true)
	if got := other.yalvo("load", file); got.code != 0 || strings.Contains(got.out, "Without") {
		t.Errorf("with its pictures there: %+v", got)
	}
	id := strings.TrimPrefix(shown.Picture, "pictures/") // of which another upload broke off, and one is under way
	for name, old := range map[string]bool{id + "-full-part5": true, id + "-medium-part6": false} {
		path := filepath.Join(copied, id[:2], name)
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		if old {
			age(t, path)
		}
	}
	other.yalvo("load", file)
	other.Evolving.Store(false)
	other.Settle()
	same(t, "who sees it", fmt.Sprint(other.sees("ben", shown.Picture), other.sees("~", shown.Picture)), "true true")
	same(t, "who sees one that nothing refers to", fmt.Sprint(other.sees("ada", loose.Picture),
		other.sees("", loose.Picture)), "false true")
	for _, size := range []string{"", "medium", "thumbnail"} {
		before, kind, err := w.Download(ctx, shown.Picture, size)
		after, same, err2 := other.Download(ctx, shown.Picture, size)
		if err := errors.Join(err, err2); err != nil || !bytes.Equal(before, after) || kind != same {
			t.Errorf("%s: %d bytes of %s were %d of %s: %v", size, len(after), same, len(before), kind, err)
		}
	}
	again := must(other.Upload(ctx, data))(t)
	same(t, "sent again", again, shown)
	same(t, "files of two pictures, of two fresh uploads and of something else", files(t, copied), 2*3+2+1)
	other.auditFindsNothing()
	other.SQL("UPDATE picture_uploads SET uploaded = now() - interval '2 days' WHERE picture = $1",
		strings.TrimPrefix(loose.Picture, "pictures/"))
	becomes(t, "what nothing has come to refer to goes after a day", 3+2+1, func() int { return files(t, copied) })
}

// Where the folder comes after the dump, that is told, and loading again mends it.
func TestPicturesMayComeAfterWhatRefersToThem(t *testing.T) {
	t.Parallel()
	dir, later := t.TempDir(), t.TempDir()
	source := picturePonds(t)
	w := start(t, source, func(o *service.Options) { o.Pictures = dir })
	w.pondsPeople()
	shown := must(w.As("ada").Upload(t.Context(), aPicture(t, 1)))(t)
	must(w.amend("posts/a1", map[string]any{"more": []string{shown.Picture, shown.Picture}}))(t)
	w.Settle()
	file := filepath.Join(t.TempDir(), "ponds.ndjson")
	w.yalvo("dump", file).says(t, 0)

	other := start(t, source, func(o *service.Options) { o.Pictures = later })
	other.Evolving.Store(true)
	other.yalvo("load", file).says(t, 0, "Without their pictures: 1 document. Copy the folder")
	same(t, "who sees it", other.sees("ben", shown.Picture), false)
	if err := os.CopyFS(later, os.DirFS(dir)); err != nil {
		t.Fatal(err)
	}
	if got := other.yalvo("load", file); got.code != 0 || strings.Contains(got.out, "Without") {
		t.Errorf("with its pictures there: %+v", got)
	}
	other.Evolving.Store(false)
	same(t, "who sees it once it is there", other.sees("ben", shown.Picture), true)
	other.auditFindsNothing()
}

// age has a file written two days ago.
func age(t *testing.T, path string) {
	t.Helper()
	then := time.Now().Add(-48 * time.Hour)
	if err := os.Chtimes(path, then, then); err != nil {
		t.Fatal(err)
	}
}

func TestAPictureSentAgainIsTheSame(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	w := start(t, picturePonds(t), func(o *service.Options) { o.Pictures = dir })
	w.pondsPeople()
	ctx := t.Context()
	data := aPicture(t, 1)
	var group sync.WaitGroup
	var names sync.Map
	for i := range 8 {
		group.Go(func() {
			kept, err := w.As([]string{"ada", "ben"}[i%2]).Upload(ctx, data)
			if err != nil {
				t.Error(err)
			}
			names.Store(kept.Picture, true)
		})
	}
	group.Wait()
	same(t, "files", files(t, dir), 3)
	same(t, "pictures", w.Number("SELECT count(*) FROM pictures"), 1)
	picture := must(w.As("ben").Upload(ctx, data))(t).Picture
	if err := os.RemoveAll(filepath.Join(dir, strings.TrimPrefix(picture, "pictures/")[:2])); err != nil {
		t.Fatal(err)
	}
	_, _, err := w.As("ben").Download(ctx, picture, "")
	refused(t, err, "not-found")
	must(w.As("ben").Upload(ctx, data))(t) // whoever still has it can bring it back
	if _, _, err := w.As("ben").Download(ctx, picture, ""); err != nil {
		t.Error(err)
	}
}

func TestPicturesAreServedInPieces(t *testing.T) {
	t.Parallel()
	w := start(t, picturePonds(t))
	w.pondsPeople()
	ctx := t.Context()
	picture := must(w.As("ada").Upload(ctx, pictureOf(t, 900, 600, 1)))(t).Picture
	for size, width := range map[string]int{"": 900, "full": 900, "medium": 750, "thumbnail": 160} {
		data, media, err := w.Download(ctx, picture, size)
		if err != nil {
			t.Fatal(err)
		}
		is, err := jpeg.DecodeConfig(bytes.NewReader(data))
		if err != nil || is.Width != width || media != "image/jpeg" {
			t.Errorf("%q is %s, %d wide, %v", size, media, is.Width, err)
		}
	}
	whole, _, err := w.Download(ctx, picture, "full")
	if err != nil {
		t.Fatal(err)
	}
	resp, part := w.ask("GET", "/v1/"+picture, "", "", "Range", "bytes=100-199", "Accept-Encoding", "gzip")
	same(t, "a piece", strings.TrimSpace(fmt.Sprint(resp.StatusCode, bytes.Equal(part, whole[100:200]), resp.Header.Get("Content-Encoding"))), "206 true")
	if h := resp.Header; h.Get("X-Content-Type-Options") != "nosniff" || !strings.Contains(h.Get("Cache-Control"), "private") ||
		!strings.Contains(h.Get("Content-Security-Policy"), "sandbox") {
		t.Errorf("got %v", h)
	}
	resp, _ = w.ask("GET", "/v1/"+picture, "", "", "If-None-Match", resp.Header.Get("ETag"))
	same(t, "when it is there already", resp.StatusCode, http.StatusNotModified)
	for _, path := range []string{"pictures/", "pictures/abc", picture + "/huge", picture + "/full/x", "pictures/../../etc/passwd",
		"pictures/" + strings.Repeat("0", 64)} {
		resp, _ := w.ask("GET", "/v1/"+path, "", "")
		same(t, path, resp.StatusCode, 404)
	}
}

func TestPicturesOfStrangersAreRefused(t *testing.T) {
	t.Parallel()
	w := start(t, picturePonds(t))
	w.pondsPeople()
	_, err := w.stranger().Upload(t.Context(), aPicture(t, 1))
	refused(t, err, "not-signed-in")
	var form, flat bytes.Buffer
	parts := multipart.NewWriter(&form)
	file := must(parts.CreateFormFile("file", "../../heron.jpg"))(t)
	if _, err := file.Write(aPicture(t, 1)); err != nil {
		t.Fatal(err)
	}
	if err := parts.Close(); err != nil {
		t.Fatal(err)
	}
	header := append([]byte("IHDR"), 0, 0, 0x17, 0x70, 0, 0, 0x13, 0x88, 8, 2, 0, 0, 0) // 6,000 by 5,000
	flat.WriteString("\x89PNG\r\n\x1a\n\x00\x00\x00\x0d")
	flat.Write(binary.BigEndian.AppendUint32(header, crc32.ChecksumIEEE(header)))
	good := string(aPicture(t, 1))
	for what, c := range map[string]struct {
		media, body string
		status      int
		says        string
	}{
		"a form":            {parts.FormDataContentType(), form.String(), 201, "pictures/"},
		"a form cut off":    {parts.FormDataContentType(), form.String()[:form.Len()/2], 400, "form"},
		"a form of none":    {"multipart/form-data; boundary=x", "--x--\r\n", 400, "no file"},
		"no boundary":       {"multipart/form-data", "x", 400, "form"},
		"a text":            {"text/html", "<html>", 415, "send the picture itself"},
		"nothing":           {"", "", 415, "send the picture itself"},
		"a lie":             {"image/png", good, 422, "is called image/png"},
		"a page":            {"image/jpeg", "<script>alert(1)</script>", 422, "no picture"},
		"cut off":           {"image/jpeg", good[:2000], 422, "broken"},
		"too many pixels":   {"image/png", flat.String(), 422, "25000000"},
		"too many bytes":    {"image/jpeg", good + strings.Repeat("x", 13<<20), 413, ""},
		"a picture in text": {"image/png", base64.StdEncoding.EncodeToString([]byte(good)), 422, "no picture"},
	} {
		resp, text := w.ask("POST", "/v1/pictures", c.media, c.body, "Yalvo-As", "ada")
		if resp.StatusCode != c.status || !strings.Contains(string(text), c.says) {
			t.Errorf("%s: %d %s", what, resp.StatusCode, text)
		}
	}
	_, _, err = w.As("ada").Create(t.Context(), "posts", "", map[string]any{"text": "x", "photo": "pictures/" + strings.Repeat("0", 64)})
	refused(t, err, "invalid", "/facts/photo")
	if _, _, err := w.As("ada").Create(t.Context(), "posts", "", map[string]any{"text": "x", "photo": "https://elsewhere.example/heron.jpg"}); err != nil {
		t.Error("a picture elsewhere:", err)
	}

	none := world{harness.Start(t, picturePonds(t), func(o *service.Options) { o.Pictures = "" }), t}
	_, err = none.Upload(t.Context(), aPicture(t, 1))
	refused(t, err, "no-pictures", "--pictures")
}

// Which pictures a document refers to is noted elsewhere too: an audit compares that.
func TestAnAuditComparesWhichPicturesAreReferredTo(t *testing.T) {
	t.Parallel()
	w := start(t, picturePonds(t))
	w.pondsPeople()
	ctx := t.Context()
	var pictures []string
	for i := range 3 {
		pictures = append(pictures, must(w.As("ada").Upload(ctx, aPicture(t, i)))(t).Picture)
		if _, _, err := w.As("ada").Create(ctx, "posts", fmt.Sprint("p", i), map[string]any{"text": "a heron", "photo": pictures[i]}); err != nil {
			t.Fatal(err)
		}
	}
	w.auditFindsNothing()
	doc := func(id string) string { return "(SELECT n FROM documents WHERE key = '" + id + "')" }
	w.SQL("DELETE FROM picture_refs WHERE doc = " + doc("p0"))
	w.SQL("INSERT INTO picture_refs SELECT picture, " + doc("p2") + " FROM picture_refs WHERE doc = " + doc("p1"))
	w.SQL("INSERT INTO picture_refs SELECT picture, 900001 FROM picture_refs WHERE doc = " + doc("p1"))
	same(t, "a picture whose reference is lost", w.sees("ben", pictures[0]), false)

	a, found := w.audit(client.Scope{})
	kinds := []string{}
	for _, d := range found {
		kinds = append(kinds, d.Aspect+" "+d.Duplicate+" "+d.Kind+" "+d.Document)
	}
	slices.Sort(kinds)
	same(t, "found", strings.Join(kinds, ", "), "picture posts different posts/p0, picture posts different posts/p2, picture posts surplus ")
	must(w.MendAudit(ctx, a.ID))(t)
	must(w.AwaitAudit(ctx, a.ID, nil))(t)
	w.auditFindsNothing()
	same(t, "the picture, mended", w.sees("ben", pictures[0]), true)
}
