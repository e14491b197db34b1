package form

import "slices"

// Rebase makes edits of the form of one text into edits of another that it has become:
// the parts that they name are found again by what they say. An edit of a part that is
// not there as it was is refused.
func Rebase(seen, now string, list ...Edit) ([]Edit, error) {
	if seen == now {
		return list, nil
	}
	was, err := Of(seen)
	if err != nil {
		return nil, err
	}
	is, err := Of(now)
	if err != nil {
		return nil, err
	}
	out := make([]Edit, len(list))
	for i, e := range list {
		if out[i], err = rebased(e, was, is); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func rebased(e Edit, was, is *Form) (Edit, error) {
	gone := refuse("the text has changed meanwhile, and what was to be edited is not there as it was").WithHint("review it again")
	if len(was.Blocks) != len(is.Blocks) || e.Block < 0 || e.Block >= max(1, len(was.Blocks)) {
		return e, gone
	}
	if len(was.Blocks) == 0 {
		return e, nil
	}
	from, to := addressed(e, was), addressed(e, is)
	move := func(at int) (int, bool) {
		if at < 0 {
			return at, true
		}
		return samePart(from, to, at)
	}
	ok := true
	if hasPlace[e.Do] && len(e.Items) == 0 {
		e.At, ok = move(e.At)
	}
	if ok && e.Do == "move output" {
		e.To, ok = move(e.To)
	}
	items := slices.Clone(e.Items)
	for i := range items {
		if ok {
			items[i], ok = move(items[i])
		}
	}
	if e.Items = items; !ok {
		return e, gone
	}
	return e, nil
}

// hasPlace are the edits whose At is the place of a part that is there.
var hasPlace = map[string]bool{"remove input": true, "set join": true, "set condition": true, "set alias": true, "set output": true, "remove output": true, "move output": true,
	"expand star": true, "clean output": true, "cast output": true, "set filter": true, "remove filter": true, "remove group": true, "set order": true, "remove order": true}

// addressed are the texts of the parts that an edit's places count.
func addressed(e Edit, f *Form) []string {
	b := &f.Blocks[e.Block]
	var parts []Part
	switch e.Do {
	case "remove input", "set join", "set condition", "set alias":
		for _, in := range b.Inputs {
			parts = append(parts, in.Part)
		}
	case "set filter", "remove filter":
		if parts = b.Filters; e.Kind == "having" {
			parts = b.Having
		}
	case "remove group":
		parts = b.Groups
	case "set order", "remove order":
		for _, o := range f.Order {
			parts = append(parts, o.Part)
		}
	default:
		for _, o := range b.Outputs {
			parts = append(parts, o.Part)
		}
	}
	texts := make([]string, len(parts))
	for i, p := range parts {
		texts[i] = p.Text
	}
	return texts
}

// samePart finds the part at a place in another list by its text: as many parts have to
// say the same in both, and it is the one with as many of them before it.
func samePart(from, to []string, at int) (int, bool) {
	if at >= len(from) {
		return 0, false
	}
	places := func(list []string) (out []int) {
		for i, text := range list {
			if text == from[at] {
				out = append(out, i)
			}
		}
		return out
	}
	had, has := places(from), places(to)
	if len(had) != len(has) {
		return 0, false
	}
	return has[slices.Index(had, at)], true
}
