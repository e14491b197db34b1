package rewrite

import "rovik/core/plan"

// atMostOne tells whether a join finds at most one right row for a left row:
// its equalities cover a key of the right side, or that has a single row.
func atMostOne(n *plan.Join) bool {
	lo, ro := plan.Outputs(n.Left), plan.Outputs(n.Right)
	fixed := plan.IDs{}
	for _, c := range n.On {
		if call, ok := c.(*plan.Call); !ok || call.Op != "=" {
			continue
		}
		if _, r, ok := plan.EquiKeys(c, lo, ro); ok {
			if col, isCol := r.(*plan.Col); isCol {
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
func Keys(n plan.Node) []plan.IDs {
	switch n := n.(type) {
	case *plan.Scan:
		return scanKeys(n)
	case *plan.Filter:
		return withoutConstants(Keys(n.Input), n.Conds)
	case *plan.Sort, *plan.Window:
		return Keys(n.Inputs()[0])
	case *plan.Limit:
		if n.Count >= 0 && n.Count <= 1 && n.Ties == nil {
			return []plan.IDs{{}}
		}
		return Keys(n.Input)
	case *plan.Distinct:
		keys := Keys(n.Input)
		if len(n.On) == 0 {
			return append(keys, plan.Outputs(n))
		}
		on := plan.IDs{}
		for _, e := range n.On {
			c, ok := e.(*plan.Col)
			if !ok {
				return keys
			}
			on[c.ID] = true
		}
		return append(keys, on)
	case *plan.Project:
		return projectKeys(n)
	case *plan.Aggregate:
		if n.Sets == nil {
			return []plan.IDs{outputsOf(n.Groups)}
		}
	case *plan.Values:
		if len(n.Rows) < 2 {
			return []plan.IDs{{}}
		}
	case *plan.Join:
		if n.Kind == plan.SemiJoin || n.Kind == plan.AntiJoin || n.Kind == plan.MarkJoin || n.Kind == plan.SingleJoin {
			return Keys(n.Left)
		}
		if n.Kind != plan.FullJoin && atMostOne(n) {
			return Keys(n.Left)
		}
	}
	return nil
}

func scanKeys(n *plan.Scan) []plan.IDs {
	byName := map[string]plan.ID{}
	for _, c := range n.Cols {
		if col := &n.Table.Columns[c.Index]; col.ReadAs == "" {
			byName[col.Name] = c.ID
		}
	}
	var out []plan.IDs
next:
	for _, k := range n.Table.Keys {
		if k.Declared != "" {
			continue // nothing enforces it
		}
		key := plan.IDs{}
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
func withoutConstants(keys []plan.IDs, conds []plan.Expr) []plan.IDs {
	fixed := plan.IDs{}
	for _, c := range conds {
		call, ok := c.(*plan.Call)
		if !ok || call.Op != "=" {
			continue
		}
		for i, a := range call.Args {
			col, isCol := a.(*plan.Col)
			if _, isConst := call.Args[1-i].(*plan.Const); isCol && isConst {
				fixed[col.ID] = true
			}
		}
	}
	out := make([]plan.IDs, len(keys))
	for i, k := range keys {
		out[i] = plan.IDs{}
		for id := range k {
			if !fixed[id] {
				out[i][id] = true
			}
		}
	}
	return out
}

// projectKeys renames keys whose columns all pass a projection.
func projectKeys(n *plan.Project) []plan.IDs {
	as := map[plan.ID]plan.ID{}
	for _, it := range n.Items {
		if c, ok := it.Expr.(*plan.Col); ok {
			as[c.ID] = it.ID
		}
	}
	var out []plan.IDs
next:
	for _, k := range Keys(n.Input) {
		key := plan.IDs{}
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
