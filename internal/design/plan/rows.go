package plan

// Row numbers that are not known yet when work is planned. The statement that
// writes the facts puts in the numbers of the rows it finds or makes.
const (
	NewRow    int64 = -1 // the document that is created
	FromRow   int64 = -2 // the pair's from end
	ToRow     int64 = -3 // the pair's to end
	ParentRow int64 = -targets
	targets         = 1 << 20
)

// TargetRow is the document that a reference points at.
func TargetRow(r *Reference) int64 { return -targets - int64(r.Number) }
