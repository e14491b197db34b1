package kernel

import (
	"strings"

	"rovik/core/value"
)

// units has PostgreSQL's names for parts of moments and intervals, of which the
// first ten characters count, with the name that Rovik's code uses.
var units = func() map[string]string {
	out := map[string]string{}
	for unit, names := range map[string]string{
		"microseconds": "microsecon us usec usecond useconds usecs", "milliseconds": "millisecon ms msec msecond mseconds msecs",
		"second": "s sec second seconds secs", "minute": "m min mins minute minutes", "hour": "h hour hours hr hrs", "day": "d day days",
		"week": "w week weeks", "month": "mon mons month months", "quarter": "qtr quarter", "year": "y year years yr yrs",
		"decade": "dec decade decades decs", "century": "c cent centuries century", "millennium": "mil mils millennia millennium",
		"dow": "dow", "doy": "doy", "isodow": "isodow", "isoyear": "isoyear", "julian": "j jd julian", "epoch": "epoch",
		"timezone": "timezone", "timezone_hour": "timezone_h", "timezone_minute": "timezone_m",
		"": "now today tomorrow yesterday allballs infinity -infinity", // names of moments, and no unit
	} {
		for name := range strings.FieldsSeq(names) {
			out[name] = unit
		}
	}
	return out
}()

// unitOf returns the unit that a field names, and fails for none.
func unitOf(field, of string) (string, error) {
	name := strings.ToLower(field)
	unit, known := units[name[:min(len(name), 10)]]
	if !known {
		return "", value.Errorf(value.CodeBadParameter, "unit %q not recognized for type %s", field, of)
	}
	return unit, nil
}

// lengthOf is unitOf for units that are lengths of time, to which moments are cut.
func lengthOf(field, of string) (string, error) {
	unit, err := unitOf(field, of)
	switch unit {
	case "dow", "doy", "isodow", "isoyear", "julian", "epoch":
		unit = ""
	}
	if unit == "" {
		return "", value.Errorf(value.CodeBadParameter, "unit %q not recognized for type %s", field, of)
	}
	return unit, err
}

// noUnit says that a type has no such part.
func noUnit(field, of string) error {
	return value.Errorf(value.CodeUnsupported, "unit %q not supported for type %s", field, of)
}
