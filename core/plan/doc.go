// Package plan holds relational operators and typed expressions. Both are
// immutable: a change makes a new tree that shares what stayed the same.
// Columns are known by id alone; names are for people.
//
//	fmt.Println(plan.Print(q.Root))
//	unique := plan.Keys(q.Root)
package plan
