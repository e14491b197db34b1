package sqldb

import (
	"fmt"

	"rovik/core/catalog"
)

// Probe measures one quirk with a statement that gives one text.
type Probe struct {
	Name    string
	SQL     string
	Want    string // where set, the quirk is yes if the result is this, else no
	Meaning string
}

// Measure runs the probes and notes what they found.
func Measure(found *catalog.Source, probes []Probe, ask func(sql string) (string, error)) error {
	for _, p := range probes {
		v, err := ask(p.SQL)
		if err != nil {
			return fmt.Errorf("measuring %q of %s: %w", p.Name, found.Name, err)
		}
		switch {
		case p.Want != "" && v == p.Want, p.Want == "" && (v == "true" || v == "1" || v == "on"):
			v = "yes"
		case p.Want != "", v == "false" || v == "0" || v == "off":
			v = "no"
		}
		found.Quirks[p.Name] = catalog.Quirk{Value: v, Meaning: p.Meaning}
	}
	return nil
}
