package live

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"strings"
)

// Begun is how a stream begins, or begins afresh (server-sent events, HTML Living Standard): with the event that holds
// all there is.
func Begun(name string, all []byte) []byte { return event(nil, name, all) }

// Told are events as they are sent; part is that of the screen which they are about, empty for a read by itself.
func Told(part string, events []Event) ([]byte, error) {
	var text []byte
	for _, e := range events {
		data := map[string]any{}
		if part != "" {
			data["part"] = part
		}
		switch e.Kind {
		case Removed:
			data["path"] = e.Path
			if e.Beyond {
				data["beyond"] = true
			}
		case Added, Changed:
			data["item"] = e.Item.Text
		case Counts:
			data["path"], data["kept"] = e.Path, e.Item.Kept
		case Moved:
			data["path"] = e.Path
		}
		if e.Kind == Added || e.Kind == Moved {
			data["after"] = nil
			if e.After != "" {
				data["after"] = e.After
			}
		}
		told, err := json.Marshal(data)
		if err != nil {
			return nil, err
		}
		text = event(text, string(e.Kind), told)
	}
	return text, nil
}

func event(text []byte, name string, data []byte) []byte {
	return append(append(append(text, "event: "+name+"\ndata: "...), data...), "\n\n"...)
}

// Current says that whoever has done all that was sent before shows what there is; the id stands for that.
func Current(text []byte, id string) []byte {
	return append(text, "event: current\nid: "+id+"\ndata: {}\n\n"...)
}

// JointID stands for all that several pages show together.
func JointID(ids ...string) string {
	if len(ids) == 1 {
		return ids[0]
	}
	sum := sha256.Sum256([]byte(strings.Join(ids, " ")))
	return hex.EncodeToString(sum[:10])
}
