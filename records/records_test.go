package records

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"testing"
	"time"

	"rovik/connect"
	"rovik/core/catalog"
)

func open(t *testing.T, home string) *Store {
	t.Helper()
	s, err := Open(home)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// put keeps a change.
func put(s *Store, c Change) error {
	n, err := s.Changes(context.Background())
	if err == nil {
		_, err = s.Apply(context.Background(), c, n)
	}
	return err
}

// What is kept is there after a restart, just as it was.
func TestRecordsSurviveARestart(t *testing.T) {
	ctx, home := context.Background(), t.TempDir()
	s := open(t, home)
	src := &Source{Name: "registry", Kind: "postgresql", Note: "n", Config: connect.Config{Host: "h", Port: 5, Secret: "env:X"},
		Found: &catalog.Source{Name: "registry", Version: "15", Quirks: map[string]catalog.Quirk{"q": {Value: "yes"}}}, FoundAt: time.Now()}
	if err := put(s, Change{Sources: []*Source{src}}); err != nil {
		t.Fatal(err)
	}
	if err := put(s, Change{Layers: []catalog.Layer{{Name: "low", Description: "d"}, {Name: "high"}}}); err != nil {
		t.Fatal(err)
	}
	v := &catalog.View{Layer: "low", Name: "v", SQL: "SELECT 1 AS a", Description: "one"}
	if err := put(s, Change{Put: []*catalog.View{v}, Message: "", Base: NewView}); err != nil {
		t.Fatal(err)
	}
	if err := put(s, Change{Put: []*catalog.View{v}, Message: "", Base: NewView}); !errors.Is(err, ErrTaken) {
		t.Errorf("a name that is taken: %v", err)
	}
	v.SQL = "SELECT 2 AS a"
	if err := put(s, Change{Put: []*catalog.View{v}, Message: "", Base: AnyRevision}); err != nil {
		t.Fatal(err)
	}
	if err := put(s, Change{Put: []*catalog.View{{Layer: "low", Name: "w"}}, Message: "", Base: 3}); err == nil {
		t.Error("a view that is not there was replaced")
	}
	if err := put(s, Change{Put: []*catalog.View{{Layer: "nowhere", Name: "v"}}, Message: "", Base: NewView}); err == nil {
		t.Error("a view was kept in a layer that is not there")
	}
	_ = s.Close()

	s = open(t, home)
	sources, err := s.Sources(ctx)
	if err != nil || len(sources) != 1 || sources[0].Config != src.Config || sources[0].Found.Quirks["q"].Value != "yes" || !sources[0].FoundAt.Equal(src.FoundAt.Round(0)) {
		t.Errorf("the source came back as %+v, %v", sources[0], err)
	}
	layers, err := s.Layers(ctx)
	if err != nil || fmt.Sprint(layers) != "[{low d} {high }]" {
		t.Errorf("layers %v, %v", layers, err)
	}
	views, err := s.Views(ctx)
	if err != nil || len(views) != 1 || !reflect.DeepEqual(views[0], v) {
		t.Errorf("views %v, %v", views, err)
	}
}

func TestOldRunsAreDropped(t *testing.T) {
	ctx := context.Background()
	s := open(t, t.TempDir())
	at := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range maxRuns + 3 {
		err := s.AddRun(ctx, &Run{ID: fmt.Sprint(i), SQL: "SELECT 1", State: "done", BeganAt: at.Add(time.Duration(i) * time.Second), Report: json.RawMessage("{}")})
		if err != nil {
			t.Fatal(err)
		}
	}
	runs, err := s.Runs(ctx, 10_000)
	if err != nil || len(runs) != maxRuns || runs[0].ID != fmt.Sprint(maxRuns+2) {
		t.Errorf("%d runs, the newest %s, %v", len(runs), runs[0].ID, err)
	}
}

func TestOpenSaysWhatIsWrong(t *testing.T) {
	if _, err := Open("/proc/no-such/home"); err == nil {
		t.Error("records were opened in /proc")
	}
}
