package estate

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"sync"

	"rovik/core/catalog"
	"rovik/core/lineage"
	"rovik/core/value"
)

// lazyText is a lineage that may be packed still.
type lazyText struct {
	once   sync.Once
	packed []byte
	text   *lineage.Text
}

func (l *lazyText) get() *lineage.Text {
	if l == nil {
		return nil
	}
	l.once.Do(func() {
		if l.text == nil {
			t := &lineage.Text{}
			if json.Unmarshal(l.packed, t) == nil { // Packed wrote it
				l.text = t
			}
			l.packed = nil
		}
	})
	return l.text
}

// packed is what is kept of a view: what is known of it, and hashes of what that
// depends on.
type packed struct {
	Format int             `json:"f"`
	SQL    string          `json:"s"` // its hash
	Rank   int             `json:"r"`
	Reads  []packedRead    `json:"d"`
	Depth  int             `json:"n"`
	Cols   []packedColumn  `json:"c"`
	Text   json.RawMessage `json:"t"`
}

type packedRead struct {
	Relation string `json:"r"`
	Hash     string `json:"h"`
}

type packedColumn struct {
	Name string     `json:"n"`
	Type value.Type `json:"t"`
}

// packedFormat changes whenever binding or lineage give something else for the
// same text: what was kept before then does not hold.
const packedFormat = 2

// Keep gives the estate what was packed of views before, by name, to be taken where
// it still holds. It is called before anything is asked.
func (e *Estate) Keep(kept map[string][]byte) { e.kept = kept }

// Packed returns what is to be kept of the views that are known, by name, unless it
// was kept or packed before. Views that read statements as they stand, or
// that do not bind, are bound again each time.
func (e *Estate) Packed() map[string][]byte {
	e.mu.Lock()
	defer e.mu.Unlock()
	out := map[string][]byte{}
next:
	for name, v := range e.views {
		if v.Err != nil || v.kept {
			continue
		}
		p := packed{Format: packedFormat, SQL: hashOf(v.SQL), Rank: rankOf(e.ctx.Catalog, v.Layer), Depth: v.Depth}
		for _, r := range v.Reads {
			h := e.readHash(r)
			if h == "" {
				continue next
			}
			p.Reads = append(p.Reads, packedRead{r, h})
		}
		for _, c := range v.Table.Columns {
			p.Cols = append(p.Cols, packedColumn{c.Name, c.Type})
		}
		var err error
		if p.Text, err = json.Marshal(v.Text()); err != nil {
			continue
		}
		if b, err := json.Marshal(p); err == nil {
			is := *v // others may be reading v
			is.kept = true
			out[name], e.views[name] = b, &is
		}
	}
	return out
}

// unpacked returns what was kept of a view, where it holds, else nil.
func (e *Estate) unpacked(v *catalog.View) *View {
	b := e.kept[v.FullName()]
	if b == nil {
		return nil
	}
	delete(e.kept, v.FullName())
	return e.unpack(v, b)
}

func (e *Estate) unpack(v *catalog.View, b []byte) *View {
	var p packed
	if json.Unmarshal(b, &p) != nil || p.Format != packedFormat || p.SQL != hashOf(v.SQL) || p.Rank != rankOf(e.ctx.Catalog, v.Layer) {
		return nil
	}
	out := &View{View: v, kept: true, Depth: p.Depth, Table: &catalog.Table{Source: v.Layer, Name: v.Name}, text: &lazyText{packed: p.Text}}
	for _, r := range p.Reads {
		if e.readHash(r.Relation) != r.Hash {
			return nil
		}
		out.Reads = append(out.Reads, r.Relation)
	}
	for _, c := range p.Cols {
		out.Table.Columns = append(out.Table.Columns, catalog.Column{Name: c.Name, Type: c.Type, Nullable: true})
	}
	return out
}

// readHash tells of what binding sees of a relation; empty where there is none.
func (e *Estate) readHash(relation string) string {
	t := e.columns(relation)
	if t == nil {
		return ""
	}
	if h, ok := e.hashes[t]; ok {
		return h
	}
	sum := sha256.New()
	if w := e.ctx.Catalog.View(relation); w != nil {
		fmt.Fprint(sum, rankOf(e.ctx.Catalog, w.Layer), "\x00")
	}
	for i := range t.Columns {
		c := &t.Columns[i]
		_, _ = io.WriteString(sum, c.Name)
		fmt.Fprint(sum, "\x00", c.Type.Kind, c.Type.Precision, c.Type.Scale, "\x00")
	}
	for _, k := range t.Keys {
		fmt.Fprint(sum, k.Primary, k.Columns, "\x00")
	}
	h := hex.EncodeToString(sum.Sum(nil)[:12])
	if e.hashes == nil {
		e.hashes = map[*catalog.Table]string{}
	}
	e.hashes[t] = h
	return h
}

func hashOf(s string) string {
	sum := sha256.Sum256([]byte(s))
	return hex.EncodeToString(sum[:12])
}
