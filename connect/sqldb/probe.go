package sqldb

import (
	"fmt"
	"time"

	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// Probe measures one quirk with a statement that gives one text.
type Probe struct {
	Name    string
	SQL     string
	Want    string // where set, the quirk is yes if the result is this, else no
	Meaning string
	// Fails reports that the statement may fail on its values, which is then what
	// was measured: error.
	Fails bool
	// Ops are the operators and functions that mean the same here only while
	// the quirk has the value Need. Text restricts that to text operands.
	Ops  []string
	Need string
	Text bool
}

// failed is the value of a quirk whose statement failed.
const failed = "error"

// Measure runs the probes and notes what they found.
func Measure(found *catalog.Source, probes []Probe, ask func(sql string) (string, error)) error {
	now := time.Now().UTC().Truncate(time.Second)
	for _, p := range probes {
		v, err := ask(p.SQL)
		if code := value.Code(err); err != nil && p.Fails && len(code) == 5 && code[:2] == "22" {
			v, err = failed, nil
		}
		if err != nil {
			return fmt.Errorf("measuring %q of %s: %w", p.Name, found.Name, err)
		}
		switch {
		case v == failed:
		case p.Want != "" && v == p.Want, p.Want == "" && (v == "true" || v == "1" || v == "on" || v == "ON"):
			v = "yes"
		case p.Want != "", v == "false" || v == "0" || v == "off" || v == "OFF":
			v = "no"
		}
		found.Quirks[p.Name] = catalog.Quirk{Value: v, Meaning: p.Meaning, MeasuredAt: &now, Version: found.Version}
	}
	return nil
}

// Complete reports whether all probes were run on what was found.
func Complete(probes []Probe, found *catalog.Source) bool {
	for _, p := range probes {
		if _, ok := found.Quirks[p.Name]; !ok {
			return false
		}
	}
	return true
}

// Usual returns the quirks of a source that behaves as the dialect's rules
// expect, for judging without one.
func Usual(probes []Probe) map[string]catalog.Quirk {
	out := map[string]catalog.Quirk{}
	for _, p := range probes {
		if p.Need != "" {
			out[p.Name] = catalog.Quirk{Value: p.Need, Meaning: p.Meaning}
		}
	}
	return out
}

// quirkReason judges a call by what was measured of the source.
func (s *Source) quirkReason(c *plan.Call) *fold.Reason {
	for _, p := range s.Dialect.needs()[c.Op] {
		if p.Text && !c.Args[0].Type().Kind.IsText() {
			continue
		}
		if have := s.Catalog.Quirks[p.Name].Value; have != p.Need {
			was := "measured as " + have
			if have == "" {
				was = "not measured yet"
			}
			return Reasonf("quirk-differs", "Change the setting at the source and recheck it: it has to be "+p.Need+".",
				"%q was %s on %s, so that %s could give something else there.", p.Name, was, s.Name(), callName(c))
		}
	}
	return nil
}

// needs returns, for each operator, the probes that it depends on.
func (d *Dialect) needs() map[string][]Probe {
	d.byOp.Do(func() {
		d.needed = map[string][]Probe{}
		for _, p := range d.Probes {
			for _, op := range p.Ops {
				d.needed[op] = append(d.needed[op], p)
			}
		}
	})
	return d.needed
}
