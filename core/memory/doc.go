// Package memory keeps the process below one limit. What grows takes from a Share, which
// says no where its own part or the limit is used up; large allocations ask for Room; and a
// watcher ends the work that holds most where the process grows past the limit all the same.
package memory
