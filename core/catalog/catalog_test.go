package catalog

import "testing"

func TestNames(t *testing.T) {
	one := &Source{Name: "one", Tables: []*Table{{Source: "one", Schema: "public", Name: "t", Columns: []Column{{Name: "a"}, {Name: "b"}}}}}
	two := &Source{Name: "two", Tables: []*Table{{Source: "two", Schema: "x", Name: "t"}, {Source: "two", Schema: "y", Name: "t"}}}
	flat := &Source{Name: "flat", Tables: []*Table{{Source: "flat", Name: "t"}}}
	c := New([]*Source{one, two, flat}, []Layer{{Name: "low"}, {Name: "high"}}, []*View{{Layer: "high", Name: "v"}, {Layer: "low", Name: "w"}})
	for name, there := range map[string]bool{"one.t": true, "one.public.t": true, "two.x.t": true, "two.t": false, "flat.t": true, "t": false, "one.T": false} {
		if (c.Table(name) != nil) != there {
			t.Errorf("%s is a table: %v", name, c.Table(name) != nil)
		}
	}
	if one.Tables[0].Column("b") != 1 || one.Tables[0].Column("c") != -1 {
		t.Error("columns are found wrongly")
	}
	if vs := c.Views(); vs[0].FullName() != "low.w" || vs[1].FullName() != "high.v" {
		t.Error("views do not come lowest layer first")
	}
	next := c.WithView(&View{Layer: "low", Name: "w", SQL: "new"})
	if next.View("low.w").SQL != "new" || c.View("low.w").SQL != "" {
		t.Error("WithView changed the old catalogue, or not the new one")
	}
	if r, ok := c.Rank("high"); !ok || r != 1 {
		t.Error("the higher layer is not above")
	}
}

func TestNearest(t *testing.T) {
	names := []string{"registry.objects", "registry.makers", "lending.loans", "title", "kind"}
	for in, want := range map[string]string{
		"registry.object": "registry.objects", "registry.obejcts": "registry.objects", "objects": "registry.objects", "LENDING.LOANS": "lending.loans",
		"titel": "title", "tittle": "title", "knd": "kind", "": "", "something_else": "", "xy": "",
	} {
		if got := Nearest(in, names); got != want {
			t.Errorf("nearest to %q is %q, want %q", in, got, want)
		}
	}
}
