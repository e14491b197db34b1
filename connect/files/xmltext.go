package files

import (
	"bufio"
	"bytes"
	"io"

	"golang.org/x/text/encoding/unicode"
)

// xmlText is the text of an XML file in UTF-8 where it is UTF-16, as its first bytes
// tell; coded says that it was.
func xmlText(in *bufio.Reader) (text io.Reader, coded bool) {
	head, _ := in.Peek(4) // a shorter file is no XML
	order := unicode.BigEndian
	switch {
	case bytes.HasPrefix(head, []byte{0xff, 0xfe}), bytes.HasPrefix(head, []byte{'<', 0}):
		order = unicode.LittleEndian
	case bytes.HasPrefix(head, []byte{0xfe, 0xff}), bytes.HasPrefix(head, []byte{0, '<'}):
	default:
		return in, false
	}
	return unicode.UTF16(order, unicode.UseBOM).NewDecoder().Reader(in), true
}

// spacedAttributes makes spaces of the line ends and tabs that stand in attributes,
// as XML 1.0 says in 3.3.3; the decoder leaves them. References to them stay.
type spacedAttributes struct {
	in    io.Reader
	state xmlState
	quote byte
	tail  []byte // what was read last outside of tags, to know comments and raw texts by
}

// xmlState is where in a file a byte stands.
type xmlState int

const (
	inContent xmlState = iota
	inTag
	inValue
	inSection // a comment, raw text or an instruction, up to its end
)

// sections are what may hold quotes and brackets that mean nothing, with their ends.
var sections = []struct{ begins, ends string }{{"<!--", "-->"}, {"<![", "]]>"}, {"<?", "?>"}}

func (s *spacedAttributes) Read(b []byte) (int, error) {
	n, err := s.in.Read(b)
	for i, c := range b[:n] {
		switch s.state {
		case inContent:
			if c == '<' {
				s.state, s.tail = inTag, s.tail[:0]
				s.tail = append(s.tail, c)
			}
		case inTag:
			if len(s.tail) > 0 {
				s.tail = append(s.tail, c)
				s.section()
			}
			switch {
			case s.state == inSection:
			case c == '>':
				s.state = inContent
			case c == '"' || c == '\'':
				s.state, s.quote = inValue, c
			}
		case inValue:
			switch c {
			case s.quote:
				s.state = inTag
			case '\n', '\r', '\t':
				b[i] = ' '
			}
		case inSection:
			end := sections[s.quote].ends
			s.tail = append(s.tail, c)
			s.tail = s.tail[max(len(s.tail)-len(end), 0):]
			if string(s.tail) == end {
				s.state = inContent
			}
		}
	}
	return n, err
}

// section finds out whether a tag that has just begun is none, from its first bytes;
// they are forgotten once that is known.
func (s *spacedAttributes) section() {
	for i, sec := range sections {
		if string(s.tail) == sec.begins {
			s.state, s.quote, s.tail = inSection, byte(i), s.tail[:0]
			return
		}
	}
	for _, sec := range sections {
		if bytes.HasPrefix([]byte(sec.begins), s.tail) {
			return
		}
	}
	s.tail = s.tail[:0]
}
