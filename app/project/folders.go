package project

import (
	"errors"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"rovik/connect"
	"rovik/core/value"
)

// Within reports whether a file lies in one of some folders, or further below, once all
// links are followed. Neither the file nor a folder has to be there.
func Within(path string, folders []string) bool {
	path, err := followed(path)
	return err == nil && slices.ContainsFunc(folders, func(folder string) bool {
		folder, err := followed(folder)
		if err != nil {
			return false
		}
		rel, err := filepath.Rel(folder, path)
		return err == nil && filepath.IsLocal(rel)
	})
}

// followed is the place that a path names once all links are followed, as far as there is
// something.
func followed(path string) (string, error) {
	path, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	for at, rest := path, ""; ; {
		is, err := filepath.EvalSymlinks(at)
		if err == nil {
			return filepath.Join(is, rest), nil
		}
		up := filepath.Dir(at)
		if !errors.Is(err, fs.ErrNotExist) || up == at {
			return "", err
		}
		at, rest = up, filepath.Join(filepath.Base(at), rest)
	}
}

// allowed fails for a source of files that sources may not be made of.
func (p *Project) allowed(name string, cfg connect.Config) error {
	if len(p.limits.Folders) == 0 {
		return nil
	}
	for _, path := range []string{cfg.Path, cfg.CA} {
		switch {
		case path == "":
		case Within(path, []string{p.Home()}):
			return value.Errorf(value.CodeSource, "%s: %s is one of Rovik's own files", name, path).WithHint("name another one")
		case !Within(path, p.limits.Folders):
			return value.Errorf(value.CodeSource, "%s: %s is in none of the folders that sources may be in: %s", name, path, strings.Join(p.limits.Folders, ", ")).
				WithHint("put it there, or start the server with --folder and its folder")
		}
	}
	return nil
}
