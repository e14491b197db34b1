package memory

import (
	"context"
	"log/slog"
	"math"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"rovik/core/value"
)

// limit is how many bytes the process may use; 0 for no limit.
var limit atomic.Int64

// SetLimit sets how many bytes the process may use. 0 is no limit. It is called before
// anything is computed.
func SetLimit(bytes int64) {
	limit.Store(bytes)
	value.Room = Room
	if bytes <= 0 {
		debug.SetMemoryLimit(math.MaxInt64)
		return
	}
	debug.SetMemoryLimit(soft(bytes)) // garbage is collected harder from there on
	watching.Do(func() {
		go func() {
			if err := value.Guarded(func() error { watch(); return nil }); err != nil {
				slog.Error("the memory is not watched any more", "error", err)
			}
		}()
	})
}

// soft is where the process stops to grow: what goes on meanwhile fits below the limit.
func soft(limit int64) int64 { return limit - limit/8 }

// Limit returns how many bytes the process may use; 0 for no limit.
func Limit() int64 { return limit.Load() }

// InUse returns how many bytes the process uses, those of garbage that was not collected
// yet among them.
func InUse() int64 {
	s := []metrics.Sample{{Name: "/memory/classes/total:bytes"}, {Name: "/memory/classes/heap/free:bytes"}, {Name: "/memory/classes/heap/released:bytes"}}
	metrics.Read(s)
	return int64(s[0].Value.Uint64() - s[1].Value.Uint64() - s[2].Value.Uint64())
}

var collecting sync.Mutex
var collected atomic.Int64 // when, in nanoseconds

// collect collects garbage, at most every so often.
func collect() {
	collecting.Lock()
	defer collecting.Unlock()
	if now := time.Now().UnixNano(); now-collected.Load() > int64(100*time.Millisecond) {
		runtime.GC()
		collected.Store(time.Now().UnixNano())
	}
}

// smallest is the allocation from which on Room looks at the process.
const smallest = 1 << 20

// Room returns an error where the process cannot use so many bytes more. Small numbers are
// always granted.
func Room(bytes int64) error {
	most := limit.Load()
	if most <= 0 || bytes < smallest || InUse()+bytes <= soft(most) {
		return nil
	}
	collect()
	if InUse()+bytes <= soft(most) {
		return nil
	}
	return errFull(most)
}

func errFull(most int64) *value.Error {
	return value.Errorf(value.CodeMemory, "the server's %s of memory are in use", Size(most)).
		WithHint("try again when other runs have ended, narrow the query, or raise --memory")
}

// Size says bytes in MiB.
func Size(bytes int64) string { return strconv.FormatInt(bytes>>20, 10) + " MiB" }

// Share is the part of the limit that one piece of work may take. Its methods may be called
// at the same time.
type Share struct {
	of   string
	most int64
	used atomic.Int64
	ctx  context.Context
	end  func(error)
	told bool // to end
}

// UsualShare is how many bytes one piece of work may take, where the limit allows it.
const UsualShare = 2 << 30

var shares = struct {
	sync.Mutex
	all map[*Share]bool
}{all: map[*Share]bool{}}

// NewShare returns a share of at most so many bytes, or of the usual number for 0; of names
// whose it is, in errors. ctx is that of the work, and end ends it; end may be nil. The share
// must be closed.
func NewShare(ctx context.Context, of string, most int64, end func(error)) *Share {
	if most == 0 {
		most = UsualShare
		if l := limit.Load(); l > 0 {
			most = min(most, l/3)
		}
	}
	s := &Share{of: of, most: most, ctx: ctx, end: end}
	shares.Lock()
	defer shares.Unlock()
	shares.all[s] = true
	return s
}

// Close gives everything back.
func (s *Share) Close() {
	shares.Lock()
	defer shares.Unlock()
	delete(shares.all, s)
	s.used.Store(0)
}

// Take counts so many bytes more, which what names in errors. They count also where they
// are refused.
func (s *Share) Take(bytes int64, what string) error {
	used := s.used.Add(bytes)
	if used > s.most {
		return s.full(what)
	}
	return Room(bytes)
}

func (s *Share) full(what string) error {
	return value.Errorf(value.CodeMemory, "the %s needs more than its %s of memory for its %s", s.of, Size(s.most), what).
		WithHint("filter earlier, or take fewer columns")
}

// Working returns a function to be called often while something large is done at once. It
// panics with what ended the work, for value.Guard, once that has ended.
func (s *Share) Working() func() {
	calls := 0
	return func() {
		if calls++; calls&(1<<14-1) == 0 && s.ctx.Err() != nil {
			panic(context.Cause(s.ctx))
		}
	}
}

// Used returns how many bytes are counted.
func (s *Share) Used() int64 { return s.used.Load() }

// Give counts so many bytes less.
func (s *Share) Give(bytes int64) { s.used.Add(-bytes) }

// Room returns an error where so many bytes more do not fit, or where the work has ended;
// nothing is counted.
func (s *Share) Room(bytes int64, what string) error {
	if s.ctx.Err() != nil {
		return context.Cause(s.ctx)
	}
	if s.used.Load()+bytes > s.most {
		return s.full(what)
	}
	return Room(bytes)
}

var watching sync.Once

// watchEvery is how often the process is looked at.
const watchEvery = 20 * time.Millisecond

// toEnd is how long work that was told to end may take before other work is told as well.
const toEnd = 500 * time.Millisecond

// watch ends the work that holds most while the process uses more than its limit.
func watch() {
	for range time.Tick(watchEvery) {
		most := limit.Load()
		if most <= 0 || InUse() <= soft(most) {
			continue
		}
		collect()
		if InUse() > soft(most) {
			if s := largest(); s != nil {
				s.end(errFull(most))
				time.Sleep(toEnd)
			}
		}
	}
}

// largest returns the share that holds most, of those whose work was not told to end.
func largest() *Share {
	shares.Lock()
	defer shares.Unlock()
	var out *Share
	for s := range shares.all {
		if s.end != nil && !s.told && (out == nil || s.used.Load() > out.used.Load()) {
			out = s
		}
	}
	if out != nil {
		out.told = true
	}
	return out
}
