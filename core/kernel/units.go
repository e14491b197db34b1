package kernel

import (
	"strings"

	"rovik/core/value"
)

// otherUnits are the names of parts that are no lengths of time, and of quarters; of
// names the first ten characters count. Names of timestamps, such as now, have no part.
var otherUnits = map[string]string{
	"qtr": "quarter", "quarter": "quarter", "dow": "dow", "doy": "doy", "isodow": "isodow", "isoyear": "isoyear", "epoch": "epoch",
	"j": "julian", "jd": "julian", "julian": "julian", "timezone": "timezone", "timezone_h": "timezone_hour", "timezone_m": "timezone_minute",
	"now": "", "today": "", "tomorrow": "", "yesterday": "", "allballs": "", "infinity": "", "-infinity": "",
}

// unitOf returns the unit that a field names, and fails for none.
func unitOf(field, of string) (string, error) {
	if unit := value.UnitNamed(field); unit != "" {
		return unit, nil
	}
	unit, known := otherUnits[strings.ToLower(field[:min(len(field), 10)])]
	if !known {
		return "", value.Errorf(value.CodeBadParameter, "unit %q not recognized for type %s", field, of)
	}
	return unit, nil
}

// lengthOf is unitOf for units that are lengths of time, to which timestamps are cut.
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
