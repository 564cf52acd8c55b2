package api

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/running"
)

// batchItem is a write as clients send it. One of the first five says what it does.
type batchItem struct {
	Create *string `json:"create"`
	Edit   *string `json:"edit"`
	Remove *string `json:"remove"`
	Set    *string `json:"set"`
	Unset  *string `json:"unset"`

	ID      string          `json:"id"`
	Facts   json.RawMessage `json:"facts"`
	Version int64           `json:"version"`
	From    string          `json:"from"`
	To      string          `json:"to"`
}

// postBatch does several writes, all or none.
func (s *API) postBatch(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	items, err := readBatch(raw)
	if err != nil {
		return err
	}
	who, err := request.Caller(c, raw)
	if err != nil {
		return err
	}
	result, err := s.Facts.Batch(c.Request().Context(), who, items)
	if err != nil {
		return err
	}
	return s.answerBatch(c, items, result)
}

func readBatch(raw []byte) ([]facts.Item, error) {
	given, err := request.Members(raw, "writes")
	if err != nil {
		return nil, err
	}
	var sent []json.RawMessage
	if json.Unmarshal(given["writes"], &sent) != nil || len(sent) == 0 {
		return nil, request.Wrong("/writes", design.MistakeType, "writes must be a list with at least one write")
	}
	if len(sent) > facts.MostItems {
		return nil, request.Wrong("/writes", design.MistakeLong,
			fmt.Sprintf("there are %d writes, %d are allowed", len(sent), facts.MostItems))
	}
	items := make([]facts.Item, len(sent))
	for i, text := range sent {
		if items[i], err = readItem(fmt.Sprintf("/writes/%d", i), text); err != nil {
			return nil, err
		}
	}
	return items, nil
}

// readItem reads one write; at is where it stands in the body.
func readItem(at string, text json.RawMessage) (facts.Item, error) {
	var sent batchItem
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&sent); err != nil {
		return facts.Item{}, request.Wrong(at, design.MistakeType, "a write has create, edit, remove, set or unset, "+
			"and besides id, facts, version, from, to, as far as that means something")
	}
	var item facts.Item
	kinds := 0
	for do, name := range map[facts.Do]*string{facts.DoCreate: sent.Create, facts.DoEdit: sent.Edit,
		facts.DoRemove: sent.Remove, facts.DoSet: sent.Set, facts.DoUnset: sent.Unset} {
		if name != nil {
			kinds, item.Do, item.Path = kinds+1, do, *name
		}
	}
	if kinds != 1 {
		return item, request.Wrong(at, design.MistakeType, "a write says one of create, edit, remove, set and unset")
	}
	err := sent.rest(at, &item)
	return item, err
}

// rest reads what a write has besides what it does.
func (sent batchItem) rest(at string, item *facts.Item) error {
	pair := item.Do == facts.DoSet || item.Do == facts.DoUnset
	if pair {
		item.Link = running.Link{Pair: item.Path, From: sent.From, To: sent.To}
	}
	for name, wrong := range map[string]bool{
		"id":      sent.ID != "" && item.Do != facts.DoCreate,
		"version": sent.Version != 0 && item.Do != facts.DoEdit && item.Do != facts.DoRemove,
		"from":    sent.From != "" && !pair,
		"to":      sent.To != "" && !pair,
		"facts":   sent.Facts != nil && (item.Do == facts.DoRemove || item.Do == facts.DoUnset),
	} {
		if wrong {
			return request.Wrong(at+"/"+name, design.MistakeUnknown,
				fmt.Sprintf("%s means nothing in a write that says %s", name, item.Do))
		}
	}
	item.ID, item.Version = sent.ID, sent.Version
	if sent.Facts == nil {
		if item.Do == facts.DoCreate {
			item.Facts = map[string]any{}
		}
		if item.Do == facts.DoEdit {
			item.Patch = facts.MergePatch("{}")
		}
		return nil
	}
	read, err := request.Object(at+"/facts", sent.Facts)
	item.Facts, item.Patch = read, facts.MergePatch(sent.Facts)
	return err
}

// written is what became of one write.
type written struct {
	Position string            `json:"position"`
	Fresh    bool              `json:"fresh"` // something was written; false: it was so already
	Document *running.Document `json:"document,omitempty"`
}

func (s *API) answerBatch(c *echo.Context, items []facts.Item, result facts.Result) error {
	all := make([]written, len(result.All))
	for i, one := range result.All {
		told, err := s.Positions.For(c, one.Position)
		if err != nil {
			return err
		}
		all[i] = written{Position: told, Fresh: one.Fresh}
		if items[i].Do != facts.DoSet && items[i].Do != facts.DoUnset {
			all[i].Document = &one.Document
		}
	}
	request.Cost(c, result.Read, result.Wrote)
	if err := s.Positions.Tell(c, result.Position); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"written": all})
}
