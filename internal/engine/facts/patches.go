package facts

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"sort"
	"strings"

	jsonpatch "github.com/evanphx/json-patch/v5"

	"yalvo/internal/design"
	"yalvo/internal/engine/running"
)

// Patch says how a document's facts are to change: a [MergePatch] or [Operations].
type Patch interface {
	// apply is what the facts of a document are after the patch.
	apply(running.Document) (json.RawMessage, error)
	// given are the facts that the patch gives by their names.
	given() map[string]any
	// place is where in the patch a place in the document was written.
	place(pointer string) string
}

// MergePatch is a JSON Merge Patch (RFC 7396) of the facts.
type MergePatch json.RawMessage

func (p MergePatch) apply(doc running.Document) (json.RawMessage, error) {
	merged, err := jsonpatch.MergePatch(doc.Facts, p)
	if err != nil {
		return nil, running.Invalid([]design.Mistake{{Pointer: "/facts", Code: design.MistakeType,
			Detail: "this is no merge patch: " + err.Error()}})
	}
	return merged, nil
}

func (p MergePatch) given() map[string]any {
	var all map[string]any
	if json.Unmarshal(p, &all) != nil { // it was applied, so it can be read
		return nil
	}
	return all
}

func (p MergePatch) place(pointer string) string { return pointer }

// Operations is a JSON Patch (RFC 6902) of the document as clients see it: all
// of it can be tested, only its facts can change.
type Operations jsonpatch.Patch

// operationNames are those of RFC 6902.
var operationNames = []string{"add", "remove", "replace", "move", "copy", "test"}

// mostOperations is how many operations a patch may have.
const mostOperations = 200

// ReadOperations reads a JSON Patch. Pointers of mistakes lead into the patch.
func ReadOperations(raw []byte) (Operations, error) {
	var patch jsonpatch.Patch
	if err := json.Unmarshal(raw, &patch); err != nil || patch == nil {
		return nil, running.Invalid([]design.Mistake{{Pointer: "", Code: design.MistakeType,
			Detail: `a JSON Patch is a list of operations, as in ` +
				`[{"op": "replace", "path": "/facts/text", "value": "…"}]`}})
	}
	if len(patch) > mostOperations {
		return nil, running.Invalid([]design.Mistake{{Pointer: "", Code: design.MistakeLong,
			Detail: fmt.Sprintf("the patch has %d operations, %d are allowed", len(patch), mostOperations)}})
	}
	var mistakes []design.Mistake
	for i, op := range patch {
		wrong := func(member, code, detail string) {
			mistakes = append(mistakes, design.Mistake{Pointer: fmt.Sprintf("/%d/%s", i, member), Code: code,
				Detail: detail})
		}
		if !slices.Contains(operationNames, op.Kind()) {
			wrong("op", design.MistakeChoice, "an operation is one of "+strings.Join(operationNames, ", "))
			continue
		}
		if _, err := op.Path(); err != nil {
			wrong("path", design.MistakeMissing, "the operation needs the path it is to act on, as in /facts/text")
		}
		if _, err := op.From(); err != nil && (op.Kind() == "move" || op.Kind() == "copy") {
			wrong("from", design.MistakeMissing, "the operation needs the path it takes the value from")
		}
		if _, given := op["value"]; !given && (op.Kind() == "add" || op.Kind() == "replace" || op.Kind() == "test") {
			wrong("value", design.MistakeMissing, "the operation needs a value")
		}
	}
	if len(mistakes) > 0 {
		return nil, running.Invalid(mistakes)
	}
	return Operations(patch), nil
}

// apply does all operations at once. If that fails, what is wrong is told of
// the first operation that does not fit.
func (p Operations) apply(doc running.Document) (json.RawMessage, error) {
	whole, err := json.Marshal(doc)
	if err != nil {
		return nil, err
	}
	patched, err := p.first(len(p), whole)
	if err == nil {
		return factsAlone(whole, patched)
	}
	// Whether the first so many fit is looked at by halves: one after the other
	// would take as often as there are operations.
	at := sort.Search(len(p)-1, func(i int) bool { _, err := p.first(i+1, whole); return err != nil })
	_, err = p.first(at+1, whole)
	return nil, misfit(at, p[at], err)
}

// first applies the first so many operations.
func (p Operations) first(many int, whole json.RawMessage) (json.RawMessage, error) {
	options := jsonpatch.NewApplyOptions()
	options.SupportNegativeIndices = false
	options.AccumulatedCopySizeLimit = MaxFacts
	return jsonpatch.Patch(p[:many]).ApplyWithOptions(whole, options)
}

// misfit is the refusal of an operation that does not fit the document.
func misfit(i int, op jsonpatch.Operation, err error) error {
	path, _ := op.Path() // given, as was checked
	path = clip(path)
	if errors.Is(err, jsonpatch.ErrTestFailed) || op.Kind() == "test" && errors.Is(err, jsonpatch.ErrMissing) {
		return &running.Refusal{Code: running.CodeTestFailed,
			Detail: fmt.Sprintf("the document has not the value at %s that operation %d tests for: nothing was "+
				"changed", path, i),
			Mistakes: []design.Mistake{{Pointer: fmt.Sprintf("/%d/value", i), Code: running.CodeTestFailed,
				Detail: path + " has another value, or none"}}}
	}
	place := fmt.Sprintf("/%d/path", i)
	if from, given := op.From(); given == nil { // either may be what is missing
		place, path = fmt.Sprintf("/%d", i), from+" to "+path
	}
	var large *jsonpatch.AccumulatedCopySizeError
	if errors.As(err, &large) {
		return running.Invalid([]design.Mistake{{Pointer: place, Code: design.MistakeLong,
			Detail: fmt.Sprintf("what the patch copies comes to more than %d bytes", MaxFacts)}})
	}
	return running.Invalid([]design.Mistake{{Pointer: place, Code: design.MistakeNoPlace,
		Detail: fmt.Sprintf("%s of %s cannot be done: there is no such place in the document", op.Kind(), clip(path))}})
}

// factsAlone takes the facts out of a patched document and sees that nothing
// else was changed.
func factsAlone(before, after json.RawMessage) (json.RawMessage, error) {
	var was, is map[string]any
	if err := json.Unmarshal(before, &was); err != nil {
		return nil, err
	}
	if err := json.Unmarshal(after, &is); err != nil {
		return nil, running.Invalid([]design.Mistake{{Pointer: "", Code: design.MistakeType,
			Detail: "after the patch the document is no object"}})
	}
	delete(was, "facts")
	facts, there := is["facts"]
	delete(is, "facts")
	if !there || !reflect.DeepEqual(was, is) {
		return nil, running.Invalid([]design.Mistake{{Pointer: "", Code: design.MistakeKept,
			Detail: "a patch may change what lies under /facts, and nothing else of the document"}})
	}
	if _, is := facts.(map[string]any); !is {
		return nil, running.Invalid([]design.Mistake{{Pointer: "", Code: design.MistakeType,
			Detail: "after the patch /facts is no object"}})
	}
	var exact struct{ Facts json.RawMessage }
	err := json.Unmarshal(after, &exact)
	return exact.Facts, err
}

// given is empty: what operations make of facts is told by these alone.
func (p Operations) given() map[string]any { return map[string]any{} }

// place: the last operation that wrote there, or beneath or around it.
func (p Operations) place(pointer string) string {
	for i, op := range slices.Backward(p) {
		path, _ := op.Path() // given, as was checked
		if op.Kind() != "test" && (within(pointer, path) || within(path, pointer)) {
			return fmt.Sprintf("/%d", i)
		}
	}
	return pointer
}

// clip keeps a long path from filling a message.
func clip(path string) string {
	if len(path) <= 100 {
		return path
	}
	return strings.ToValidUTF8(path[:100], "") + "…"
}

func within(pointer, around string) bool {
	return pointer == around || strings.HasPrefix(pointer, around+"/")
}
