package views

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/rename"
	"rovik/core/value"
	"rovik/records"
)

// Renaming is a change of names. One of Column, View and Layers says of what.
type Renaming struct {
	// Column is layer.view.column, which gets the name To. With Through, views that
	// pass it on under its name do so under the new one.
	Column  string `json:"column,omitempty"`
	Through bool   `json:"through,omitempty"`
	// View is layer.view, which gets the name To, a layer.view too.
	View string `json:"view,omitempty"`
	To   string `json:"to,omitempty"`
	// Layers are all layers as they are to be, lowest first.
	Layers []LayerChange `json:"layers,omitempty"`
}

// LayerChange is a layer as it is to be. Was is its name before, empty for a new
// one.
type LayerChange struct {
	Was         string `json:"was"`
	Name        string `json:"name"`
	Description string `json:"description"`
}

// Renamed is what a renaming would do. Seen stands for exactly that, for whoever
// has looked at it and says yes.
type Renamed struct {
	rename.Plan
	Seen string `json:"seen"`
}

// PlanRenaming works out what a renaming would do, without doing it.
func (vs *Views) PlanRenaming(ctx context.Context, r Renaming) (_ *Renamed, err error) {
	defer value.Guard(&err)
	p, _, err := renamed(ctx, vs.project.Now(), r)
	return p, err
}

// renamed works a renaming out, and what has to be kept for it.
func renamed(ctx context.Context, now *project.Snapshot, r Renaming) (*Renamed, *project.Change, error) {
	in := now.Binding(ctx, project.Query{})
	change := &project.Change{Change: records.Change{Layers: now.Catalog().Layers(), Base: AnyRevision}}
	var plan *rename.Plan
	var err error
	switch {
	case r.Column != "":
		change.Message = fmt.Sprintf("%s is called %s now", r.Column, r.To)
		plan, err = renameColumn(ctx, now, r)
	case r.View != "":
		change.Message = fmt.Sprintf("%s is %s now", r.View, r.To)
		layer, name, _ := strings.Cut(r.To, ".")
		if _, ok := now.Catalog().Rank(layer); !ok {
			return nil, nil, value.Errorf(value.CodeUndefinedTable, "there is no layer called %q", layer).WithHint("choose one of the project's layers")
		}
		if err := project.CheckName("view", name); err != nil {
			return nil, nil, err
		}
		if r.View == r.To {
			return nil, nil, value.Errorf(value.CodeBadParameter, "it is called %s already", r.To)
		}
		plan, err = rename.Views(in, now.Estate(), map[string]string{r.View: r.To}, change.Layers)
	case len(r.Layers) > 0:
		change.Message = "Layers were changed"
		var moves map[string]string
		if moves, change.Layers, err = layerMoves(now.Catalog(), r.Layers); err == nil {
			plan, err = rename.Views(in, now.Estate(), moves, change.Layers)
		}
	default:
		return nil, nil, value.Errorf(value.CodeBadParameter, "say what is to be renamed")
	}
	if err != nil {
		return nil, nil, err
	}
	to := map[string]string{}
	for _, m := range plan.Moves {
		to[m.From] = m.To
		from, is := strings.SplitN(m.From, ".", 2), strings.SplitN(m.To, ".", 2)
		change.Moves = append(change.Moves, records.Move{FromLayer: from[0], FromName: from[1], ToLayer: is[0], ToName: is[1]})
	}
	for _, t := range plan.Texts {
		v := *now.Catalog().View(t.View)
		v.SQL = t.Is
		if _, _, column := cutColumn(r.Column); slices.Contains(plan.Columns, t.View+"."+column) {
			v.Notes = v.Notes.Renamed(column, r.To)
		}
		if name, ok := to[t.View]; ok {
			v.Layer, v.Name, _ = strings.Cut(name, ".")
		}
		change.Put = append(change.Put, &v)
	}
	whole, err := json.Marshal([]any{plan, change.Layers})
	if err != nil {
		return nil, nil, err
	}
	sum := sha256.Sum256(whole)
	return &Renamed{*plan, hex.EncodeToString(sum[:8])}, change, nil
}

// cutColumn cuts layer.view.column.
func cutColumn(name string) (layer, view, column string) {
	layer, rest, _ := strings.Cut(name, ".")
	view, column, _ = strings.Cut(rest, ".")
	return layer, view, column
}

func renameColumn(ctx context.Context, now *project.Snapshot, r Renaming) (*rename.Plan, error) {
	view, column, err := now.ViewColumn(r.Column)
	if err != nil {
		if parts := strings.Split(r.Column, "."); len(parts) > 2 && now.Catalog().Table(strings.Join(parts[:2], ".")) != nil {
			return nil, value.Errorf(value.CodeUnsupported, "the columns of a table are named by its source").WithHint("rename them in a view that reads it")
		}
		return nil, err
	}
	if column == "" {
		return nil, value.Errorf(value.CodeBadParameter, "say which column of %s", view.FullName())
	}
	if to := strings.TrimSpace(r.To); to == "" || len(to) > 63 || strings.ContainsAny(to, "\x00\n") {
		return nil, value.Errorf("42602", "%q cannot be the name of a column", r.To)
	}
	return rename.Column(now.Binding(ctx, project.Query{}), now.Estate(), view.FullName(), column, strings.TrimSpace(r.To), r.Through)
}

// layerMoves are the views that move with their layers.
func layerMoves(c *catalog.Catalog, list []LayerChange) (map[string]string, []catalog.Layer, error) {
	moves := map[string]string{}
	var layers []catalog.Layer
	kept := map[string]string{}
	for _, l := range list {
		if err := project.CheckName("layer", l.Name); err != nil {
			return nil, nil, err
		}
		if slices.ContainsFunc(layers, func(x catalog.Layer) bool { return x.Name == l.Name }) || c.Source(l.Name) != nil {
			return nil, nil, value.Errorf(value.CodeDuplicate, "%q is the name of another layer or of a source", l.Name).WithHint("choose another")
		}
		if l.Was != "" {
			if _, ok := c.Rank(l.Was); !ok || kept[l.Was] != "" {
				return nil, nil, value.Errorf(value.CodeUndefinedTable, "there is no layer called %q any more", l.Was).WithHint("reload the page")
			}
			kept[l.Was] = l.Name
		}
		layers = append(layers, catalog.Layer{Name: l.Name, Description: strings.TrimSpace(l.Description)})
	}
	for _, v := range c.Views() {
		to, ok := kept[v.Layer]
		if !ok {
			return nil, nil, value.Errorf(value.CodeBadParameter, "the layer %s has views still, such as %s", v.Layer, v.Name).WithHint("move them to another layer first")
		}
		if to != v.Layer {
			moves[v.FullName()] = to + "." + v.Name
		}
	}
	return moves, layers, nil
}

// Rename does what was looked at: it is refused where that would be something
// else by now.
func (vs *Views) Rename(ctx context.Context, r Renaming, seen, message string) (_ *Renamed, err error) {
	defer value.Guard(&err)
	var out *Renamed
	_, err = vs.project.Write(ctx, func(now *project.Snapshot) (*project.Change, error) {
		p, change, err := renamed(ctx, now, r)
		if err != nil {
			return nil, err
		}
		if p.Seen != seen {
			return nil, value.Errorf(project.CodeStale, "the change is not what was reviewed any more").WithHint("review it again")
		}
		if message = strings.TrimSpace(message); message != "" {
			change.Message = message
		}
		out = p
		return change, nil
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}
