// Package exec runs compiled queries: streaming operators over Arrow batches,
// with every source read at the same time.
//
//	run, err := exec.Start(ctx, compiled, connector, exec.Options{ID: "r1"})
//	defer run.Close()
//	err = run.Each(func(b kernel.Batch) error { … })
//	report := run.Report()
package exec
