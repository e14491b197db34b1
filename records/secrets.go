package records

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"database/sql"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"rovik/core/value"
)

// The key that passwords are encrypted with comes from the environment, as it
// is or in a file, else from a file beside the records that is made when it is
// first needed. It is 32 bytes in base64.
const (
	KeyVariable     = "ROVIK_KEY"
	KeyFileVariable = "ROVIK_KEY_FILE"
	keyFile         = "key"
	keyBytes        = 32
)

// key returns the key. With create it is made where there is none.
func (s *Store) key(create bool) ([]byte, error) {
	if text, ok := os.LookupEnv(KeyVariable); ok {
		return decodeKey(text, "the environment variable "+KeyVariable)
	}
	path, named := os.LookupEnv(KeyFileVariable)
	if !named {
		path = filepath.Join(s.home, keyFile)
	}
	text, err := lineOf(path)
	if errors.Is(err, fs.ErrNotExist) && create && !named {
		text, err = keptLine(path, newKey)
	}
	if err != nil {
		return nil, value.Errorf(value.CodeSource, "the key for the kept passwords cannot be read or made: %s", err).
			WithHint("put the key back, or give the passwords again")
	}
	return decodeKey(text, "the file "+path)
}

func newKey() string {
	key := make([]byte, keyBytes)
	_, _ = rand.Read(key) // which never fails
	return base64.StdEncoding.EncodeToString(key)
}

func decodeKey(text, where string) ([]byte, error) {
	key, err := base64.StdEncoding.DecodeString(strings.TrimSpace(text))
	if err != nil || len(key) != keyBytes {
		return nil, value.Errorf(value.CodeSource, "%s does not hold a key", where).WithHint("a key is 32 bytes in base64: head -c 32 /dev/urandom | base64")
	}
	return key, nil
}

func (s *Store) cipher(create bool) (cipher.AEAD, error) {
	key, err := s.key(create)
	if err != nil {
		return nil, err
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, fmt.Errorf("preparing the key: %w", err)
	}
	return cipher.NewGCM(block)
}

// putSecret keeps a password under a name, encrypted.
func (s *Store) putSecret(ctx context.Context, tx *sql.Tx, name, password string) error {
	aead, err := s.cipher(true)
	if err != nil {
		return err
	}
	nonce := make([]byte, aead.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return fmt.Errorf("encrypting: %w", err)
	}
	sealed := aead.Seal(nonce, nonce, []byte(password), []byte(name))
	_, err = tx.ExecContext(ctx, "INSERT INTO secret (name, sealed) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET sealed = excluded.sealed", name, sealed)
	if err != nil {
		return fmt.Errorf("keeping a password: %w", err)
	}
	return nil
}

// Reveal returns a kept password; see connect.Keeper.
func (s *Store) Reveal(name string) (string, error) {
	var sealed []byte
	err := s.db.QueryRow("SELECT sealed FROM secret WHERE name = ?", name).Scan(&sealed)
	if errors.Is(err, sql.ErrNoRows) {
		return "", value.Errorf(value.CodeSource, "the password of %s is not kept any more", name).WithHint("give it again")
	}
	if err != nil {
		return "", fmt.Errorf("reading a password: %w", err)
	}
	aead, err := s.cipher(false)
	if err != nil {
		return "", err
	}
	if len(sealed) < aead.NonceSize() {
		return "", value.Errorf(value.CodeSource, "the kept password of %s is damaged", name).WithHint("give it again")
	}
	plain, err := aead.Open(nil, sealed[:aead.NonceSize()], sealed[aead.NonceSize():], []byte(name))
	if err != nil {
		return "", value.Errorf(value.CodeSource, "the kept password of %s was encrypted with another key", name).WithHint("put that key back, or give the password again")
	}
	return string(plain), nil
}
