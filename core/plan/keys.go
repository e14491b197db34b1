package plan

// AtMostOne reports whether a join finds at most one right row for a left row:
// its equalities cover a key of the right side, or that has a single row.
func AtMostOne(n *Join) bool {
	lo, ro := Outputs(n.Left), Outputs(n.Right)
	fixed := IDs{}
	for _, c := range n.On {
		if call, ok := c.(*Call); !ok || call.Op != "=" {
			continue
		}
		if _, r, ok := EquiKeys(c, lo, ro); ok {
			if col, isCol := r.(*Col); isCol {
				fixed[col.ID] = true
			}
		}
	}
	for _, key := range Keys(n.Right) {
		if key.Within(fixed) {
			return true
		}
	}
	return false
}

// Keys returns sets of columns in which no two rows of n agree, NULL aside. An
// empty set means that there is at most one row.
func Keys(n Node) []IDs {
	switch n := n.(type) {
	case *Scan:
		return scanKeys(n)
	case *Filter:
		return withoutConstants(Keys(n.Input), n.Conds)
	case *Sort, *Window:
		return Keys(n.Inputs()[0])
	case *Limit:
		if n.Count >= 0 && n.Count <= 1 && n.Ties == nil {
			return []IDs{{}}
		}
		return Keys(n.Input)
	case *Distinct:
		keys := Keys(n.Input)
		if len(n.On) == 0 {
			return append(keys, Outputs(n))
		}
		on := IDs{}
		for _, e := range n.On {
			c, ok := e.(*Col)
			if !ok {
				return keys
			}
			on[c.ID] = true
		}
		return append(keys, on)
	case *Project:
		return projectKeys(n)
	case *Aggregate:
		if n.Sets == nil {
			return []IDs{IDsOf(n.Groups)}
		}
	case *Values:
		if len(n.Rows) < 2 {
			return []IDs{{}}
		}
	case *Join:
		if n.Kind == SemiJoin || n.Kind == AntiJoin || n.Kind == MarkJoin || n.Kind == SingleJoin {
			return Keys(n.Left)
		}
		if n.Kind != FullJoin && AtMostOne(n) {
			return Keys(n.Left)
		}
	}
	return nil
}

func scanKeys(n *Scan) []IDs {
	byName := map[string]ID{}
	for _, c := range n.Cols {
		if col := &n.Table.Columns[c.Index]; col.ReadAs == "" {
			byName[col.Name] = c.ID
		}
	}
	var out []IDs
next:
	for _, k := range n.Table.Keys {
		if k.Declared != "" {
			continue // nothing enforces it
		}
		key := IDs{}
		for _, name := range k.Columns {
			id, ok := byName[name]
			if !ok {
				continue next
			}
			key[id] = true
		}
		out = append(out, key)
	}
	return out
}

// withoutConstants drops from keys the columns that conditions fix.
func withoutConstants(keys []IDs, conds []Expr) []IDs {
	fixed := IDs{}
	for _, c := range conds {
		call, ok := c.(*Call)
		if !ok || call.Op != "=" {
			continue
		}
		for i, a := range call.Args {
			col, isCol := a.(*Col)
			if _, isConst := call.Args[1-i].(*Const); isCol && isConst {
				fixed[col.ID] = true
			}
		}
	}
	out := make([]IDs, len(keys))
	for i, k := range keys {
		out[i] = IDs{}
		for id := range k {
			if !fixed[id] {
				out[i][id] = true
			}
		}
	}
	return out
}

// projectKeys renames keys whose columns all pass a projection.
func projectKeys(n *Project) []IDs {
	as := map[ID]ID{}
	for _, it := range n.Items {
		if c, ok := it.Expr.(*Col); ok {
			as[c.ID] = it.ID
		}
	}
	var out []IDs
next:
	for _, k := range Keys(n.Input) {
		key := IDs{}
		for id := range k {
			to, ok := as[id]
			if !ok {
				continue next
			}
			key[to] = true
		}
		out = append(out, key)
	}
	return out
}

// IDsOf returns the ids of the columns of items.
func IDsOf(items []Item) IDs {
	s := IDs{}
	for _, it := range items {
		s[it.ID] = true
	}
	return s
}
