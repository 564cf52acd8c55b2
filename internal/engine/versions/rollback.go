package versions

import (
	"context"

	"yalvo/internal/design"
	"yalvo/internal/design/compare"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/versionsql"
)

// Back reads a version of the design again, to be put in force once more: what it
// calls otherwise than the version in force is told to go on under the old name.
func (k *Keeper) Back(ctx context.Context, version int) (*design.Design, string, error) {
	all, err := versionsql.DesignsAfter(ctx, k.Store, version)
	if err != nil {
		return nil, "", err
	}
	if len(all) == 0 || all[0].Version != version {
		return nil, "", running.Refuse(running.CodeNotFound, "there is no version %d of the design", version)
	}
	d, err := read(all[0])
	if err != nil {
		return nil, "", err
	}
	var later [][]compare.Difference
	for _, v := range all[1:] {
		did, err := running.Did(v)
		if err != nil {
			return nil, "", err
		}
		later = append(later, did)
	}
	compare.Back(d, later)
	return d, all[0].File, nil
}
