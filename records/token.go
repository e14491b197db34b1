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
	b, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return makeToken(path)
	}
	if err != nil {
		return "", fmt.Errorf("reading the token: %w", err)
	}
	token := strings.TrimSpace(string(b))
	if len(token) < leastToken {
		return "", value.Errorf(value.CodeSource, "the token in %s has fewer than %d characters", path, leastToken).WithHint("remove the file; the next start makes a new token")
	}
	return token, nil
}

// makeToken writes a new token, whole or not at all: another process may make one, too.
func makeToken(path string) (string, error) {
	f, err := os.CreateTemp(filepath.Dir(path), ".token-") // for its owner alone
	if err != nil {
		return "", fmt.Errorf("keeping the token: %w", err)
	}
	defer os.Remove(f.Name())
	token := rand.Text()
	_, err = f.WriteString(token + "\n")
	if err := errors.Join(err, f.Close()); err != nil {
		return "", fmt.Errorf("keeping the token: %w", err)
	}
	switch err := os.Link(f.Name(), path); {
	case errors.Is(err, fs.ErrExist):
		b, err := os.ReadFile(path)
		return strings.TrimSpace(string(b)), err
	case err != nil:
		return "", fmt.Errorf("keeping the token: %w", err)
	}
	return token, nil
}
