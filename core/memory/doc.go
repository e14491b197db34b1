// Package memory keeps the process below one limit. What grows takes from a Share, which
// says no where its own part or the limit is used up; large allocations ask for Room; and a
// watcher ends the work that holds most where the process comes near the limit without having asked.
//
//	share := memory.NewShare(ctx, "run", 1<<30, cancel)
//	defer share.Close()
//	if err := share.Take(b.Bytes(), "sort"); err != nil {
//		return err
//	}
package memory
