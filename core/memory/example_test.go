package memory_test

import (
	"context"
	"fmt"

	"rovik/core/memory"
)

// A run takes what its operators hold from its share.
func ExampleShare() {
	ctx, cancel := context.WithCancelCause(context.Background())
	defer cancel(nil)
	share := memory.NewShare(ctx, "run", 10<<20, cancel)
	defer share.Close()
	fmt.Println(share.Take(8<<20, "sort"))
	fmt.Println(share.Take(8<<20, "join"))
	// Output:
	// <nil>
	// the run needs more than its 10 MiB of memory for its join (filter earlier, or take fewer columns)
}
