package design

import (
	"fmt"
	"regexp"
	"strings"
)

// MaxID is the most characters an id may have.
const MaxID = 128

var idForm = regexp.MustCompile(`^[A-Za-z0-9_-]{1,128}$`)

// CheckID says what is wrong with an id a client chose, "" if nothing is.
func CheckID(id string) string {
	if idForm.MatchString(id) {
		return ""
	}
	if len(id) > MaxID {
		return fmt.Sprintf("the id has %d characters, %d are allowed", len(id), MaxID)
	}
	return fmt.Sprintf("%q cannot be an id: use letters, digits, _ and -, at least one", id)
}

// A document's key names it within its collection: its id, or for a nested
// document the ids from the top down, joined by slashes. References hold keys.

// ParseKey splits a key into its ids and checks it against the collection's depth.
func (c *Collection) ParseKey(key string) ([]string, string) {
	ids := strings.Split(key, "/")
	if len(ids) != c.Depth() {
		return nil, fmt.Sprintf("%q is not a key of %q: it takes %s", Clip(key), c.Name, c.keyForm())
	}
	for _, id := range ids {
		if wrong := CheckID(id); wrong != "" {
			return nil, wrong
		}
	}
	return ids, ""
}

// Path is the document's full path: collections and ids by turns.
func (c *Collection) Path(key string) string {
	if c.Under == nil {
		return c.Name + "/" + key
	}
	cut := strings.LastIndexByte(key, '/')
	if cut < 0 {
		return c.Name + "/" + key
	}
	return c.Under.Path(key[:cut]) + "/" + c.Name + "/" + key[cut+1:]
}

func (c *Collection) keyForm() string {
	if c.Under == nil {
		return "one id"
	}
	return fmt.Sprintf("%d ids joined by /, from the parent down", c.Depth())
}
