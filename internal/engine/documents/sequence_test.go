package documents

import (
	"errors"
	"fmt"
	"testing"

	"yalvo/internal/design/access"
	"yalvo/internal/engine/store/rulesql"
)

// A page for which there was not enough time is short and says where to go on; with nothing looked at it is refused.
func TestAPageThatTakesTooLongIsShort(t *testing.T) {
	t.Parallel()
	chunks := 0
	s := Sequence[int]{
		Read: func(after Boundary, _ rulesql.Filter, limit int) ([]int, error) {
			rows := make([]int, limit)
			for i := range rows {
				rows[i] = int(after.N) + i + 1
			}
			return rows, nil
		},
		Boundary: func(n int) Boundary { return Boundary{N: int64(n)} },
		Size:     func(int) int { return 1 },
		May: func(rows []int) ([]bool, error) {
			if chunks++; chunks == 3 {
				return nil, fmt.Errorf("judging: %w", access.ErrBudget)
			}
			may := make([]bool, len(rows))
			may[0] = true
			return may, nil
		},
	}
	page, next, err := s.judged(Boundary{}, nil, 10)
	if err != nil || len(page) != 2 || next == nil || next.N != 11+22 {
		t.Errorf("got %v, %v, %v", page, next, err)
	}
	chunks = 2
	if _, _, err := s.judged(Boundary{}, nil, 10); !errors.Is(err, access.ErrBudget) {
		t.Errorf("nothing was looked at: %v", err)
	}
}
