package live

import "encoding/json"

// Begun is how a stream begins (server-sent events, HTML Living Standard): the page, nil if its reader has it, and that
// this is all there is.
func Begun(page []byte, now Shown) []byte {
	var text []byte
	if page != nil {
		text = event(text, "page", page)
	}
	return current(text, now)
}

// Told are events as they are sent, and that whoever has done them shows what there is.
func Told(events []Event, now Shown) ([]byte, error) {
	var text []byte
	for _, e := range events {
		data := map[string]any{}
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
	return current(text, now), nil
}

func event(text []byte, name string, data []byte) []byte {
	return append(append(append(text, "event: "+name+"\ndata: "...), data...), "\n\n"...)
}

// current says that whoever has done all that was sent before shows what there is.
func current(text []byte, now Shown) []byte {
	return append(text, "event: current\nid: "+now.ID()+"\ndata: {}\n\n"...)
}
