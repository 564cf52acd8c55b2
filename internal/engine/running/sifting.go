package running

import "encoding/json"

// Sift appends a JSON object of those members of another that are wanted, as they stand and laid out as they are
// stored. Names are given in their quotes. See [Members].
func Sift(into, object []byte, wanted func(name []byte, value json.RawMessage) bool) ([]byte, error) {
	begin := "{"
	err := Members(object, func(name []byte, value json.RawMessage, _ int) bool {
		if wanted(name, value) {
			into = append(append(append(append(into, begin...), name...), ": "...), value...)
			begin = ", "
		}
		return true
	})
	if err != nil {
		return into, err
	}
	if begin == "{" {
		into = append(into, begin...)
	}
	return append(into, '}'), nil
}

// IsNamed tells whether a quoted name is one that needs no escapes, as those of a design.
func IsNamed(quoted []byte, name string) bool {
	return len(quoted) == len(name)+2 && string(quoted[1:len(quoted)-1]) == name
}
