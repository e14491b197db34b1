package value

import (
	"encoding/hex"
	"fmt"
	"math"
	"strconv"
	"strings"
)

// ParseReal reads a real; the result is exact in 32 bits.
func ParseReal(s string) (float64, error) {
	t := strings.ToLower(strings.TrimSpace(s))
	if strings.ContainsAny(t, "x_p") {
		return 0, Errorf(CodeBadText, "invalid input syntax for type real: %q", s)
	}
	f, err := strconv.ParseFloat(t, 32)
	if err == nil && !underflowed(f, t) {
		return f, nil
	}
	if err == nil {
		return 0, Errorf(CodeOutOfRange, "%q is out of range for type real", s)
	}
	if ne, ok := err.(*strconv.NumError); ok && ne.Err == strconv.ErrRange {
		return 0, Errorf(CodeOutOfRange, "%q is out of range for type real", s)
	}
	return 0, Errorf(CodeBadText, "invalid input syntax for type real: %q", s)
}

// underflowed reports that text with a digit other than 0 was read as zero.
func underflowed(f float64, text string) bool {
	digits, _, _ := strings.Cut(text, "e")
	return f == 0 && strings.ContainsAny(digits, "123456789")
}

// ToReal rounds a double to a real.
func ToReal(f float64) (float32, error) {
	r := float32(f)
	if math.IsInf(float64(r), 0) && !math.IsInf(f, 0) {
		return 0, Errorf(CodeOutOfRange, "value out of range: overflow")
	}
	if r == 0 && f != 0 {
		return 0, Errorf(CodeOutOfRange, "value out of range: underflow")
	}
	return r, nil
}

// FormatTime writes a time of day, in microseconds since midnight.
func FormatTime(us int64) string {
	s := fmt.Sprintf("%02d:%02d:%02d", us/MicrosPerHour, us/MicrosPerMinute%60, us/MicrosPerSecond%60)
	if f := us % MicrosPerSecond; f != 0 {
		s += strings.TrimRight(fmt.Sprintf(".%06d", f), "0")
	}
	return s
}

// ParseUUID reads the usual spellings of a uuid and gives the canonical one.
func ParseUUID(s string) (string, error) {
	t := strings.ToLower(strings.TrimSpace(s))
	if strings.HasPrefix(t, "{") && strings.HasSuffix(t, "}") {
		t = t[1 : len(t)-1]
	}
	digits := strings.ReplaceAll(t, "-", "")
	if b, err := hex.DecodeString(digits); err != nil || len(b) != 16 || strings.HasPrefix(t, "-") {
		return "", Errorf(CodeBadText, "invalid input syntax for type uuid: %q", s)
	}
	return digits[:8] + "-" + digits[8:12] + "-" + digits[12:16] + "-" + digits[16:20] + "-" + digits[20:], nil
}

// ParseBytes reads a bytea literal: \x and hexadecimal digits, or text with
// backslash escapes. The result holds the bytes.
func ParseBytes(s string) (string, error) {
	if rest, ok := strings.CutPrefix(s, `\x`); ok {
		b, err := hex.DecodeString(strings.Join(strings.Fields(rest), ""))
		if err != nil {
			return "", Errorf(CodeBadParameter, "invalid hexadecimal data in a bytea: %q", s)
		}
		return string(b), nil
	}
	var out []byte
	for i := 0; i < len(s); i++ {
		switch {
		case s[i] != '\\':
			out = append(out, s[i])
		case i+1 < len(s) && s[i+1] == '\\':
			out = append(out, '\\')
			i++
		case i+3 < len(s):
			n, err := strconv.ParseUint(s[i+1:i+4], 8, 8)
			if err != nil {
				return "", Errorf(CodeBadText, "invalid input syntax for type bytea")
			}
			out = append(out, byte(n))
			i += 3
		default:
			return "", Errorf(CodeBadText, "invalid input syntax for type bytea")
		}
	}
	return string(out), nil
}
