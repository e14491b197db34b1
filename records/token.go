package records

import (
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"rovik/core/value"
)

const (
	tokenFile  = "token"
	leastToken = 16 // characters
)

// Token returns the token that servers of these records ask for. It is in a file of its
// own beside them, which nobody else may read, and made where it is missing.
func (s *Store) Token() (string, error) {
	path := filepath.Join(s.home, tokenFile)
	token, err := keptLine(path, rand.Text)
	if err != nil {
		return "", fmt.Errorf("reading the token: %w", err)
	}
	if len(token) < leastToken {
		return "", value.Errorf(value.CodeSource, "the token in %s has fewer than %d characters", path, leastToken).WithHint("remove the file; the next start makes a new token")
	}
	return token, nil
}

// keptLine returns the one line of a file that its owner alone may read. Where the file is
// missing it is made with a new one, whole or not at all: another process may make it at the
// same time.
func keptLine(path string, make func() string) (string, error) {
	if line, err := lineOf(path); !errors.Is(err, fs.ErrNotExist) {
		return line, err
	}
	f, err := os.CreateTemp(filepath.Dir(path), ".new-") // for its owner alone
	if err != nil {
		return "", err
	}
	defer os.Remove(f.Name())
	_, err = f.WriteString(make() + "\n")
	if err := errors.Join(err, f.Close()); err != nil {
		return "", err
	}
	if err := os.Link(f.Name(), path); err != nil && !errors.Is(err, fs.ErrExist) {
		return "", err
	}
	return lineOf(path)
}

func lineOf(path string) (string, error) {
	b, err := os.ReadFile(path)
	return strings.TrimSpace(string(b)), err
}
