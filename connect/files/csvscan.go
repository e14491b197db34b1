package files

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"

	"rovik/core/value"
)

// field is a cell as it stands in the file, without its quotes. An empty one
// that is quoted is a text, one that is not is NULL.
type field struct {
	text   []byte
	quoted bool
}

const (
	scanBlock = 1 << 18
	// maxRecord bounds one record: more is a quote that never ends, or not CSV.
	maxRecord = 16 << 20
)

// scanner takes CSV apart into records (RFC 4180), as it is found in the wild:
// lines end with any of CR, LF and CRLF, a quote within a cell that has not
// begun with one stands for itself, and empty lines are skipped, but where a record
// has one cell: there they are NULLs.
type scanner struct {
	in    io.Reader
	comma byte
	buf   []byte
	at    int // of the next record in buf
	end   int // of what is read into buf
	eof   bool
	block bool // there is no more to read than buf
	// single says that a record has one cell, so that an empty line is one.
	single bool
	line   int // of the next record, from 1
	// plain reports that all bytes so far are of ASCII and none is 0, so that no
	// cell has to be looked at for that.
	plain bool
	ends  [256]bool // the bytes that may end a cell
	// fields are of the last record, valid until the next one; joined holds
	// those that do not stand in buf as they are.
	fields []field
	joined []byte
	first  int // the line on which the last record begins
}

func newScanner(in io.Reader, comma byte) *scanner {
	s := &scanner{in: in, comma: comma, buf: make([]byte, scanBlock), line: 1, plain: true}
	s.ends[comma], s.ends['\n'], s.ends['\r'] = true, true, true
	return s
}

// more reads on, moving what is left of the record to the front.
func (s *scanner) more() error {
	if s.at > 0 {
		copy(s.buf, s.buf[s.at:s.end])
		s.end -= s.at
		s.at = 0
	}
	if s.end == len(s.buf) {
		if len(s.buf) >= maxRecord {
			return s.tooLong(s.line)
		}
		s.buf = append(s.buf, make([]byte, len(s.buf))...)
	}
	n, err := io.ReadAtLeast(s.in, s.buf[s.end:], 1)
	s.plain = s.plain && plainText(s.buf[s.end:s.end+n])
	s.end += n
	if errors.Is(err, io.EOF) {
		s.eof = true
		return nil
	}
	return err
}

func (s *scanner) tooLong(line int) error {
	return value.Errorf(value.CodeSource, "line %d: a record is longer than %d MiB", line, maxRecord>>20).WithHint("look for a quote that is not closed")
}

// next reads a record into fields; io.EOF ends the file.
func (s *scanner) next() error {
	for {
		from := s.at
		done, err := s.record()
		if s.block && s.at-from > maxRecord {
			return s.tooLong(s.first)
		}
		if err != nil || done {
			return err
		}
		if s.eof || s.block && s.at == s.end {
			return io.EOF
		}
		if s.block {
			return errUnfinished
		}
		if err := s.more(); err != nil {
			return err
		}
	}
}

// record takes the next record of buf; done is false where it does not end
// there and there is more to read.
func (s *scanner) record() (done bool, err error) {
	// Empty lines.
	for !s.single && s.at < s.end && (s.buf[s.at] == '\n' || s.buf[s.at] == '\r') {
		if s.buf[s.at] == '\r' {
			if s.at+1 == s.end && !s.eof {
				return false, nil
			}
			if s.at+1 < s.end && s.buf[s.at+1] == '\n' {
				s.at++
			}
		}
		s.at++
		s.line++
	}
	if s.at == s.end {
		return false, nil
	}
	s.fields, s.joined, s.first = s.fields[:0], s.joined[:0], s.line
	i, lines := s.at, 0
	buf := s.buf[:s.end]
	for {
		if i < len(buf) && buf[i] == '"' {
			f, next, newlines, ok := s.quoted(buf, i)
			if !ok {
				if s.eof {
					return false, value.Errorf(value.CodeSource, "line %d: a quote is not closed", s.first+lines).WithHint("close it, or double it where it is part of the text")
				}
				return false, nil
			}
			s.fields = append(s.fields, f)
			i, lines = next, lines+newlines
		} else {
			end := i
			for end < len(buf) && !s.ends[buf[end]] {
				end++
			}
			if end == len(buf) && !s.eof {
				return false, nil
			}
			s.fields = append(s.fields, field{text: buf[i:end]})
			i = end
		}
		switch {
		case i == len(buf):
			if !s.eof {
				return false, nil
			}
		case buf[i] == s.comma:
			i++
			if i == len(buf) && s.eof { // the last cell is empty
				s.fields = append(s.fields, field{})
				s.at, s.line = i, s.line+lines
				return true, nil
			}
			continue
		case buf[i] == '\r':
			if i+1 == len(buf) && !s.eof {
				return false, nil
			}
			if i++; i < len(buf) && buf[i] == '\n' {
				i++
			}
		default:
			i++
		}
		s.at, s.line = i, s.line+lines+1
		return true, nil
	}
}

// quoted takes a cell that begins with a quote at i. What stands between its
// last quote and the separator belongs to it.
func (s *scanner) quoted(buf []byte, i int) (f field, next, lines int, ok bool) {
	start := i + 1
	j := bytes.IndexByte(buf[start:], '"')
	if j < 0 {
		return f, 0, 0, false
	}
	end := start + j
	if end+1 == len(buf) && !s.eof {
		return f, 0, 0, false
	}
	if end+1 == len(buf) || buf[end+1] == s.comma || buf[end+1] == '\n' || buf[end+1] == '\r' {
		text := buf[start:end]
		return field{text, true}, end + 1, countLines(text), true
	}
	// Doubled quotes, or text behind the last one: the cell is put together.
	from := len(s.joined)
	for i = start; ; {
		j := bytes.IndexByte(buf[i:], '"')
		if j < 0 {
			s.joined = s.joined[:from]
			return f, 0, 0, false
		}
		s.joined = append(s.joined, buf[i:i+j]...)
		i += j + 1
		if i == len(buf) && !s.eof {
			s.joined = s.joined[:from]
			return f, 0, 0, false
		}
		if i < len(buf) && buf[i] == '"' {
			s.joined = append(s.joined, '"')
			i++
			continue
		}
		break
	}
	for i < len(buf) && buf[i] != s.comma && buf[i] != '\n' && buf[i] != '\r' {
		s.joined = append(s.joined, buf[i])
		i++
	}
	if i == len(buf) && !s.eof {
		s.joined = s.joined[:from]
		return f, 0, 0, false
	}
	return field{s.joined[from:len(s.joined):len(s.joined)], true}, i, countLines(buf[start:i]), true
}

// plainText reports whether bytes are of ASCII, none of them 0: eight at a time.
func plainText(b []byte) bool {
	const high, low = 0x8080808080808080, 0x0101010101010101
	for ; len(b) >= 8; b = b[8:] {
		w := binary.LittleEndian.Uint64(b)
		if w&high != 0 || (w-low)&^w&high != 0 {
			return false
		}
	}
	for _, c := range b {
		if c == 0 || c >= 0x80 {
			return false
		}
	}
	return true
}

// countLines counts the ends of lines.
func countLines(b []byte) int {
	if bytes.IndexByte(b, '\r') < 0 {
		return bytes.Count(b, []byte{'\n'})
	}
	return bytes.Count(b, []byte{'\n'}) + bytes.Count(b, []byte{'\r'}) - bytes.Count(b, []byte{'\r', '\n'})
}
