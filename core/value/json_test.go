package value

import (
	"errors"
	"strings"
	"testing"
)

// jsonb is spelled as PostgreSQL prints it.
func TestJSONBIsCanonical(t *testing.T) {
	for in, want := range map[string]string{
		`{"b":1,"a":2}`:                  `{"a": 2, "b": 1}`,
		`{"bb":1,"a":2,"a":3}`:           `{"a": 3, "bb": 1}`,
		` [1 , true,null ,"x"] `:         `[1, true, null, "x"]`,
		`1.50e2`:                         `150`,
		`1e-3`:                           `0.001`,
		`-0.0`:                           `0.0`,
		`-0e5`:                           `0`,
		`0.10`:                           `0.10`,
		`1e40`:                           `1` + strings.Repeat("0", 40),
		`1e-50`:                          `0.` + strings.Repeat("0", 49) + `1`,
		`"\ud83d\ude00"`:                 `"😀"`,
		`"\\ud83d"`:                      `"\\ud83d"`,
		`"\/\t\u0001"`:                   `"/\t\u0001"`,
		`"<&>` + "\u2028" + `"`:          `"<&>` + "\u2028" + `"`,
		`{"a":{"c":[],"b":{}},"é":"\""}`: `{"a": {"b": {}, "c": []}, "é": "\""}`,
	} {
		if got, err := ParseJSON(JSONB, in); err != nil || got != want {
			t.Errorf("%s is %s, %v; want %s", in, got, err, want)
		}
	}
}

func TestWhatJSONBCannotHold(t *testing.T) {
	for in, code := range map[string]string{
		`"\u0000"`:           "22P05",
		`{"\u0000": 1}`:      "22P05",
		`"\ud83d"`:           CodeBadText,
		`"\ude00"`:           CodeBadText,
		`"\ud83dx\ude00"`:    CodeBadText,
		`"\ud83d\n\ude00"`:   CodeBadText,
		`["\ud83d\ud83d"]`:   CodeBadText,
		`1e131072`:           CodeOutOfRange,
		`[{"a": 1e-16384}]`:  CodeOutOfRange,
		`{`:                  CodeBadText,
		`1 2`:                CodeBadText,
		`{"a" 1}`:            CodeBadText,
		`01`:                 CodeBadText,
		`'a'`:                CodeBadText,
		``:                   CodeBadText,
		`[1,]`:               CodeBadText,
		"\"\x01\"":           CodeBadText,
		`{"a": 1e999999999}`: CodeOutOfRange,
	} {
		_, err := ParseJSON(JSONB, in)
		var e *Error
		if !errors.As(err, &e) || e.Code != code {
			t.Errorf("%s is read with %v, want %s", in, err, code)
		}
	}
	for _, in := range []string{`"\u0000"`, `"\ud83d"`, `1e131072`} { // json keeps its text
		if got, err := ParseJSON(JSON, in); err != nil || got != in {
			t.Errorf("%s as json is %s, %v", in, got, err)
		}
	}
}

// Numbers of any length compare by value.
func TestJSONNumbersCompareByValue(t *testing.T) {
	ascending := []string{`-1e400`, `-12345678901234567890123456789012345678901`, `-1.5`, `0`, `1e-400`, `1e-50`, `0.1`, `2`, `10`,
		`12345678901234567890123456789012345678901`, `1e400`, `10.1e399`, `2e400`}
	for i, a := range ascending {
		for j, b := range ascending {
			got, want := CompareJSON(a, b), 0
			if i < j {
				want = -1
			} else if i > j {
				want = 1
			}
			if got != want {
				t.Errorf("%s against %s is %d, want %d", a, b, got, want)
			}
		}
	}
	for _, same := range [][2]string{{`1e400`, `1.0e400`}, {`1.50`, `1.5`}, {`-0`, `0.00`}, {`1e-50`, `10e-51`}} {
		if CompareJSON(same[0], same[1]) != 0 || canonicalJSON(same[0]) != canonicalJSON(same[1]) {
			t.Errorf("%s and %s differ: %s, %s", same[0], same[1], canonicalJSON(same[0]), canonicalJSON(same[1]))
		}
	}
}
