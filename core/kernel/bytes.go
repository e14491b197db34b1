package kernel

import (
	"bytes"
	"crypto/sha256"
	"crypto/sha512"
	"math/bits"
	"strings"

	"rovik/core/value"
)

// cutBytes returns the bytes from a place, counted from 1, to before another.
func cutBytes(b []byte, start, end int64) []byte {
	start, end = max(start, 1), min(end, int64(len(b))+1)
	if end <= start {
		return []byte{}
	}
	return b[start-1 : end-1]
}

func overlayBytes(b, with []byte, from, n int64) ([]byte, error) {
	if from <= 0 {
		return nil, value.Errorf("22011", "negative substring length not allowed")
	}
	if end := from + n; end != int64(int32(end)) {
		return nil, value.ErrIntegerRange
	}
	return bytes.Join([][]byte{cutBytes(b, 1, from), with, cutBytes(b, from+n, 1<<40)}, nil), nil
}

// letters writes each byte as a letter of its own, so that what matches characters
// matches bytes.
func letters(b []byte) string {
	var out strings.Builder
	for _, c := range b {
		out.WriteRune(rune(c))
	}
	return out.String()
}

// trimBytes makes a trim of bytes that are among others.
func trimBytes(left, right bool) func(b, among []byte) []byte {
	return func(b, among []byte) []byte {
		for left && len(b) > 0 && bytes.IndexByte(among, b[0]) >= 0 {
			b = b[1:]
		}
		for right && len(b) > 0 && bytes.IndexByte(among, b[len(b)-1]) >= 0 {
			b = b[:len(b)-1]
		}
		return b
	}
}

func outOfBytes(n, last int64) error {
	return value.Errorf("2202E", "index %d out of valid range, 0..%d", n, last)
}

func addBytes(r *registry) {
	by, i4, i8 := value.Bytea, value.Int4, value.Int8
	def1(r, "bit_length", by, i4, sure1(func(b []byte) int32 { return int32(8 * len(b)) }))
	def1(r, "bit_count", by, i8, sure1(func(b []byte) int64 {
		n := 0
		for _, c := range b {
			n += bits.OnesCount8(c)
		}
		return int64(n)
	}))
	def1(r, "sha224", by, by, sure1(func(b []byte) []byte { sum := sha256.Sum224(b); return sum[:] }))
	def1(r, "sha384", by, by, sure1(func(b []byte) []byte { sum := sha512.Sum384(b); return sum[:] }))
	for _, name := range []string{"substring", "substr"} {
		def2(r, name, by, i4, by, sure2(func(b []byte, from int32) []byte { return cutBytes(b, int64(from), 1<<40) }))
		def3(r, name, by, i4, i4, by, func(b []byte, from, n int32) ([]byte, error) {
			if n < 0 {
				return nil, value.Errorf("22011", "negative substring length not allowed")
			}
			return cutBytes(b, int64(from), int64(from)+int64(n)), nil
		})
	}
	def3(r, "overlay", by, by, i4, by, func(b, with []byte, from int32) ([]byte, error) {
		return overlayBytes(b, with, int64(from), int64(len(with)))
	})
	box(r, "overlay", by, func(a []value.Value) (value.Value, error) {
		b, err := overlayBytes([]byte(a[0].Str), []byte(a[1].Str), a[2].Int, a[3].Int)
		return textValue(string(b)), err
	}, by, by, i4, i4)
	def2(r, "position", by, by, i4, sure2(func(b, part []byte) int32 { return int32(bytes.Index(b, part) + 1) }))
	def2(r, "btrim", by, by, by, sure2(trimBytes(true, true)))
	def2(r, "ltrim", by, by, by, sure2(trimBytes(true, false)))
	def2(r, "rtrim", by, by, by, sure2(trimBytes(false, true)))
	def2(r, "like", by, by, value.Bool, func(b, pattern []byte) (bool, error) {
		m, err := likeMatcher(letters(pattern), `\`)
		if err != nil {
			return false, err
		}
		return m(letters(b)), nil
	})
	def3(r, "set_byte", by, i4, i4, by, func(b []byte, n, to int32) ([]byte, error) {
		if n < 0 || int(n) >= len(b) {
			return nil, outOfBytes(int64(n), int64(len(b)-1))
		}
		out := bytes.Clone(b)
		out[n] = byte(to)
		return out, nil
	})
	def2(r, "get_bit", by, i8, i4, func(b []byte, n int64) (int32, error) {
		if n < 0 || n >= 8*int64(len(b)) {
			return 0, outOfBytes(n, 8*int64(len(b))-1)
		}
		return int32(b[n/8] >> (n % 8) & 1), nil
	})
	def3(r, "set_bit", by, i8, i4, by, func(b []byte, n int64, to int32) ([]byte, error) {
		if n < 0 || n >= 8*int64(len(b)) {
			return nil, outOfBytes(n, 8*int64(len(b))-1)
		}
		if to != 0 && to != 1 {
			return nil, value.Errorf(value.CodeBadParameter, "new bit must be 0 or 1")
		}
		out := bytes.Clone(b)
		out[n/8] = out[n/8]&^(1<<(n%8)) | byte(to)<<(n%8)
		return out, nil
	})
}
