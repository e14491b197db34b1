package records

import (
	"bufio"
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"rovik/core/catalog"
)

// childHome names the home of a process that is killed; see TestMain.
const childHome = "ROVIK_TEST_KILLED_HOME"

// TestMain is also the process that is killed: it keeps one change after another, each of
// several views, and says which are kept.
func TestMain(m *testing.M) {
	home := os.Getenv(childHome)
	if home == "" {
		os.Exit(m.Run())
	}
	if err := keepOn(home); err != nil {
		fmt.Println("failed:", err)
		os.Exit(1)
	}
}

const viewsAtOnce = 20

func keepOn(home string) error {
	s, err := Open(home)
	if err != nil {
		return err
	}
	ctx := context.Background()
	for n, err := s.Changes(ctx); ; n++ {
		if err != nil {
			return err
		}
		c := Change{Base: AnyRevision, Message: fmt.Sprint("change ", n)}
		for i := range viewsAtOnce {
			c.Put = append(c.Put, &catalog.View{Layer: "low", Name: fmt.Sprint("v", i), SQL: fmt.Sprintf("SELECT %d AS n", n+1)})
		}
		if _, err := s.Apply(ctx, c, n); err != nil {
			return err
		}
		fmt.Println("kept", n+1)
	}
}

// killedAfter runs the process for a while, and returns the last change that it said it had kept.
func killedAfter(t *testing.T, home string, while time.Duration) (kept int64) {
	t.Helper()
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), childHome+"="+home)
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	time.AfterFunc(while, func() { _ = cmd.Process.Signal(syscall.SIGKILL) })
	for lines := bufio.NewScanner(out); lines.Scan(); {
		if _, err := fmt.Sscanf(lines.Text(), "kept %d", &kept); err != nil {
			t.Fatalf("the process says %q", lines.Text())
		}
	}
	_ = cmd.Wait() // it was killed
	return kept
}

// A process that is killed while it keeps changes loses none that it said it had kept, and
// leaves none in part; nor does one that is killed while it brings records up to date.
func TestKilledWhileKeeping(t *testing.T) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(1, 2))
	begun := 0
	for round := range 30 {
		home := atVersion(t, 1+round%12)
		said := int64(0)
		kills := 1 + round%2*2
		for range kills {
			said = max(said, killedAfter(t, home, time.Duration(r.IntN(60))*time.Millisecond))
		}
		s, err := Open(home)
		if err != nil {
			t.Fatalf("round %d: %v", round, err)
		}
		wrong, err := s.Check()
		if err != nil || len(wrong) > 0 {
			t.Errorf("round %d: %v, %v", round, wrong, err)
		}
		n, err := s.Changes(ctx)
		if err != nil || n < said {
			t.Errorf("round %d: %d changes are kept, %d were said to be: %v", round, n, said, err)
		}
		views, err := s.Views(ctx)
		if err != nil || n > 0 && len(views) != viewsAtOnce+1 || n == 0 && len(views) != 1 {
			t.Errorf("round %d: %d views after %d changes, %v", round, len(views), n, err)
		}
		for _, v := range views {
			if want := fmt.Sprintf("SELECT %d AS n", n); v.Name != "shelf" && (v.SQL != want || int64(v.Revision) != n) {
				t.Errorf("round %d: after %d changes %s is %q, revision %d", round, n, v.FullName(), v.SQL, v.Revision)
			}
		}
		if n > 0 {
			begun++
		}
		if err := s.Close(); err != nil {
			t.Error(err)
		}
		if left, _ := filepath.Glob(filepath.Join(home, "backups", "*.part")); len(left) > kills { // each may have cut a copy short
			t.Errorf("round %d: %q are left", round, left)
		}
	}
	if begun == 0 || begun == 30 {
		t.Errorf("in %d of 30 rounds changes were kept: the times hit nothing else", begun)
	}
}

// Records that another process holds are waited for; past that the error says so, and once
// they are free all goes on.
func TestLockedRecords(t *testing.T) {
	was := lockedFor
	lockedFor = 300 * time.Millisecond
	defer func() { lockedFor = was }()
	home := t.TempDir()
	s := open(t, home)
	other, err := sql.Open("sqlite", "file:"+filepath.Join(home, "records.db")+"?_txlock=exclusive")
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	hold := func(while time.Duration) {
		t.Helper()
		tx, err := other.Begin()
		if err != nil {
			t.Fatal(err)
		}
		time.AfterFunc(while, func() { _ = tx.Rollback() })
	}
	hold(100 * time.Millisecond)
	if err := put(s, Change{Layers: []catalog.Layer{{Name: "low"}}}); err != nil {
		t.Errorf("records that are held for a moment: %v", err)
	}
	hold(time.Second)
	if err := put(s, Change{Layers: []catalog.Layer{{Name: "high"}}}); err == nil || !strings.Contains(err.Error(), "another process has held the records") {
		t.Errorf("records that are held: %v", err)
	}
	if layers, err := s.Layers(t.Context()); err != nil || len(layers) != 1 {
		t.Errorf("meanwhile the layers are %v, %v", layers, err)
	}
	time.Sleep(1200 * time.Millisecond)
	if err := put(s, Change{Layers: []catalog.Layer{{Name: "high"}}}); err != nil {
		t.Errorf("afterwards: %v", err)
	}
}

// Where the disk is full nothing is kept in part, what there is is still read, and the error
// says what is wrong; with room again all goes on.
func TestFullDisk(t *testing.T) {
	home := t.TempDir()
	if err := syscall.Mount("tmpfs", home, "tmpfs", 0, "size=1500k"); err != nil {
		t.Skipf("a small disk cannot be made here: %v", err)
	}
	defer func() { _ = syscall.Unmount(home, syscall.MNT_DETACH) }()
	s, err := Open(home)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if err := put(s, Change{Layers: []catalog.Layer{{Name: "low"}}}); err != nil {
		t.Fatal(err)
	}
	kept := 0
	var full error
	for full == nil {
		v := &catalog.View{Layer: "low", Name: fmt.Sprint("v", kept), SQL: "SELECT '" + strings.Repeat("x", 20_000) + "' AS a"}
		if full = put(s, Change{Put: []*catalog.View{v}, Base: NewView}); full == nil {
			kept++
		}
		if kept > 1000 {
			t.Fatal("the disk has no end")
		}
	}
	if !strings.Contains(full.Error(), "full") {
		t.Errorf("the error is %v", full)
	}
	views, err := s.Views(t.Context())
	if err != nil || len(views) != kept {
		t.Errorf("%d views are read, %d were kept: %v", len(views), kept, err)
	}
	if wrong, err := s.Check(); err != nil || len(wrong) > 0 {
		t.Errorf("%v, %v", wrong, err)
	}
	if err := syscall.Mount("tmpfs", home, "tmpfs", syscall.MS_REMOUNT, "size=8m"); err != nil {
		t.Fatal(err)
	}
	if err := put(s, Change{Put: []*catalog.View{{Layer: "low", Name: "more", SQL: "SELECT 1 AS a"}}, Base: NewView}); err != nil {
		t.Errorf("with room again: %v", err)
	}
}
