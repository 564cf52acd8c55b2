package request

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/cespare/xxhash/v2"
	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/problem"
)

// The tag of a page is a fingerprint of what is answered. That of a document begins with
// the version of its facts, for [IfMatch]: kept values change without it.

// TagOf is the tag of a page.
func TagOf(text []byte) string { return `"` + fingerprint(text) + `"` }

// DocumentTag is that of a document.
func DocumentTag(version int64, text []byte) string {
	return fmt.Sprintf(`"%d.%s"`, version, fingerprint(text))
}

// ETag stands for a version of a document's facts alone.
func ETag(version int64) string { return fmt.Sprintf("%q", strconv.FormatInt(version, 10)) }

// IfMatch reads the version a client has seen, 0 if it does not care.
func IfMatch(c *echo.Context) (int64, error) {
	tag := c.Request().Header.Get("If-Match")
	if tag == "" || tag == "*" {
		return 0, nil
	}
	version, _, _ := strings.Cut(strings.Trim(tag, `"`), ".")
	n, err := strconv.ParseInt(version, 10, 64)
	if err != nil || n < 1 || !strings.HasPrefix(tag, `"`) || !strings.HasSuffix(tag, `"`) {
		return 0, problem.BadRequest(fmt.Sprintf("If-Match must hold the ETag of one version, as in %s, not %q",
			ETag(3),
			problem.Clip(tag)))
	}
	return n, nil
}

// HasAlready tells whether a list of tags has one, or stands for any.
func HasAlready(list, tag string) bool {
	return list != "" && slices.ContainsFunc(strings.Split(list, ","), func(one string) bool {
		one = strings.TrimSpace(one)
		return one == "*" || strings.TrimPrefix(one, "W/") == tag
	})
}

// fingerprint tells texts apart that differ by chance. It is taken of every page, so it is
// one that is quick: nobody gains by texts that are made to have the same.
func fingerprint(text []byte) string { return strconv.FormatUint(xxhash.Sum64(text), 36) }
