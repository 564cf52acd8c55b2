package design

import "slices"

// Nearest finds the known name closest to a mistyped one, "" if none is near.
// Distance is Damerau's (optimal string alignment): insert, delete, replace or
// swap neighbours. A third of the word may be wrong, at least one letter.
func Nearest(name string, known []string) string {
	best, bestDistance := "", max(1, len(name)/3)+1
	for _, k := range slices.Sorted(slices.Values(known)) {
		if d := editDistance(name, k); d < bestDistance {
			best, bestDistance = k, d
		}
	}
	return best
}

func editDistance(a, b string) int {
	before, above, row := []int(nil), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range above {
		above[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(above[j]+1, row[j-1]+1, above[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, above, row = above, row, make([]int, len(b)+1)
	}
	return above[len(b)]
}
