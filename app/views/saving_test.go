package views_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"rovik/app/apptest"
	"rovik/app/project"
	"rovik/app/views"
	"rovik/core/catalog"
	"rovik/core/value"
)

// Views are saved, explained, run and refreshed at the same time.
func TestAtTheSameTime(t *testing.T) {
	a := apptest.New(t, 100)
	ctx := context.Background()
	var wg sync.WaitGroup
	errs := make(chan error, 100)
	for i := range 12 {
		wg.Add(3)
		go func() {
			defer wg.Done()
			_, err := a.Views.Save(ctx, catalog.View{Layer: "low", Name: fmt.Sprintf("v%d", i%6), SQL: fmt.Sprintf("SELECT id, %d AS n FROM store.item", i)}, false)
			if err != nil && value.Code(err) != value.CodeDuplicate {
				errs <- err
			}
		}()
		go func() {
			defer wg.Done()
			if _, err := a.Now().RunThrough(ctx, project.Query{SQL: "SELECT count(*) FROM store.item WHERE weight > 2"}); err != nil {
				errs <- err
			}
		}()
		go func() {
			defer wg.Done()
			if _, err := a.Sources.Refresh(ctx, "store"); err != nil {
				errs <- err
			}
			a.Views.Broken()
			a.Views.Names()
		}()
	}
	wg.Wait()
	close(errs)
	for err := range errs {
		t.Error(err)
	}
	if n := len(a.Now().Catalog().Views()); n != 6 {
		t.Errorf("%d views were kept, want 6", n)
	}
	if s := a.Sources.List(); len(s) != 1 || s[0].Note != "a note" || s[0].Found.Tables[0].Rows != 100 {
		t.Errorf("the sources are %+v", s)
	}
}

// A text that is based on a revision of a view that is gone says so.
func TestSavingOverWhatIsGone(t *testing.T) {
	a := apptest.New(t, 1)
	ctx := context.Background()
	v := catalog.View{Layer: "low", Name: "one", SQL: "SELECT 1 AS a"}
	if _, err := a.Views.SaveRevision(ctx, v, "", views.NewView); err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Remove(ctx, "low.one", false); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Views.SaveRevision(ctx, v, "", 1); err == nil || !strings.Contains(err.Error(), "was removed meanwhile") {
		t.Errorf("saving over a view that is gone: %v", err)
	}
	if back, err := a.Views.SaveRevision(ctx, v, "", views.NewView); err != nil || back.Revision != 2 {
		t.Errorf("saving it anew: %v, %v", back, err)
	}
}

// Whenever a request is cancelled, what is in memory is what is in the records.
func TestCancelledSavesAreWholeOrNone(t *testing.T) {
	a := apptest.New(t, 1)
	saved, none := 0, 0
	for asked := range 80 {
		within, cancel := context.WithCancel(context.Background())
		ctx := &tiring{Context: within, cancel: cancel}
		ctx.left.Store(int64(asked))
		v := catalog.View{Layer: "low", Name: fmt.Sprintf("v%d", asked), SQL: "SELECT 1 AS a"}
		_, err := a.Views.SaveRevision(ctx, v, "", views.NewView)
		kept, storeErr := a.Records().Views(context.Background())
		if storeErr != nil {
			t.Fatal(storeErr)
		}
		there := slices.ContainsFunc(kept, func(o *catalog.View) bool { return o.Name == v.Name })
		if known := a.Now().Catalog().View(v.FullName()) != nil; known != there || err == nil && !there {
			t.Errorf("cancelled when asked %d times: in the records %v, in memory %v, told %v", asked, there, known, err)
		}
		if there {
			saved++
		} else {
			none++
		}
		cancel()
	}
	if saved == 0 || none == 0 {
		t.Errorf("%d views were kept and %d not: nothing was tested", saved, none)
	}
}

// tiring is a context that is cancelled once it has been asked so many times.
type tiring struct {
	context.Context
	left   atomic.Int64
	cancel context.CancelFunc
}

func (c *tiring) Done() <-chan struct{} {
	if c.left.Add(-1) < 0 {
		c.cancel()
	}
	return c.Context.Done()
}

func (c *tiring) Err() error {
	c.Done()
	return c.Context.Err()
}
