package main

import (
	"math"
	"os"
	"strconv"
	"strings"
)

// usualMemory is the usual limit of memory: half of what the machine or the process's control group
// has; 0 where neither is known.
func usualMemory() int64 {
	least := int64(math.MaxInt64)
	for _, path := range []string{"/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes"} {
		if b, err := os.ReadFile(path); err == nil {
			if n, err := strconv.ParseInt(strings.TrimSpace(string(b)), 10, 64); err == nil && n > 0 {
				least = min(least, n)
			}
		}
	}
	if b, err := os.ReadFile("/proc/meminfo"); err == nil {
		if f := strings.Fields(string(b)); len(f) > 1 && f[0] == "MemTotal:" {
			if n, err := strconv.ParseInt(f[1], 10, 64); err == nil {
				least = min(least, n<<10)
			}
		}
	}
	if least == math.MaxInt64 {
		return 0
	}
	return least / 2 >> 20 << 20 // whole MiB
}
