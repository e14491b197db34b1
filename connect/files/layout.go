package files

import (
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"
	"time"
	"unicode/utf8"

	"rovik/core/shape"
	"rovik/core/value"
)

// maxFiles bounds how many files a source may have.
var maxFiles = 100_000

// file is one file of a table. Parts are the values of the folders' names, one
// for each of the table's parts, NULL where the name has none.
type file struct {
	path     string
	info     fs.FileInfo // when it was listed
	size     int64
	modified time.Time
	parts    []value.Value
}

func newFile(path string, info fs.FileInfo) file {
	return file{path: path, info: info, size: info.Size(), modified: info.ModTime()}
}

// unchanged fails where a file is not as it was when it was listed, or is another one.
func (f file) unchanged() error {
	info, err := os.Stat(f.path)
	if err == nil && info.Size() == f.size && info.ModTime().Equal(f.modified) && os.SameFile(info, f.info) {
		return nil
	}
	return errWhileRead("the file was changed while it was read")
}

func errWhileRead(what string) error {
	return value.Errorf(value.CodeSource, "%s", what).WithHint("run the query again; write new files rather than change one that is read")
}

// unchanged fails where a folder does not have the files that it was listed with.
func (t *listing) unchanged(now *listing) error {
	if now == nil {
		return errWhileRead("the folder was removed while it was read")
	}
	for i, f := range t.files {
		if i >= len(now.files) || now.files[i].path > f.path {
			return errWhileRead("the file " + filepath.Base(f.path) + " went while the folder was read")
		}
		if now.files[i].path < f.path {
			return errWhileRead("the file " + filepath.Base(now.files[i].path) + " came while the folder was read")
		}
	}
	if more := now.files[len(t.files):]; len(more) > 0 {
		return errWhileRead("the file " + filepath.Base(more[0].path) + " came while the folder was read")
	}
	return nil
}

// listing is a table as it lies in folders: its files, and the names of the
// parts that folders named key=value give.
type listing struct {
	name   string
	parts  []string
	kinds  []value.Kind
	files  []file
	folder bool
}

// list finds the tables of a format below a path. A file is a table; so is a
// folder, with all files below it. The root itself is a folder of tables, or
// one table where its own folders are named key=value.
func list(source, root string, suffixes []string) ([]*listing, error) {
	info, err := os.Stat(root)
	if err != nil {
		return nil, value.Errorf(value.CodeSource, "%s: there is nothing to read at %s", source, root).WithHint("check the path, and that Rovik may read it")
	}
	if !info.IsDir() && !info.Mode().IsRegular() {
		return nil, value.Errorf(value.CodeSource, "%s: %s is no file, but a device, a pipe or a socket", source, root).WithHint("name a file or a folder")
	}
	if !info.IsDir() {
		t := &listing{name: tableName(root, suffixes), files: []file{newFile(root, info)}}
		return []*listing{t}, nil
	}
	entries, err := os.ReadDir(root)
	if err != nil {
		return nil, unreadable(source, root, err)
	}
	var tables []*listing
	for _, e := range entries {
		path := filepath.Join(root, e.Name())
		if _, _, named := strings.Cut(e.Name(), "="); named && e.IsDir() {
			t, err := folderTable(source, root, suffixes)
			return []*listing{t}, err
		}
		switch {
		case strings.HasPrefix(e.Name(), "."):
		case e.IsDir():
			t, err := folderTable(source, path, suffixes)
			if err != nil {
				return nil, err
			}
			if len(t.files) > 0 {
				tables = append(tables, t)
			}
		case hasSuffix(e.Name(), suffixes):
			info, err := plainFile(root, path)
			if err != nil {
				return nil, unreadable(source, path, err)
			}
			if info == nil {
				continue
			}
			tables = append(tables, &listing{name: tableName(path, suffixes), files: []file{newFile(path, info)}})
		}
	}
	names := map[string]string{}
	for _, t := range tables {
		if other, taken := names[t.name]; taken {
			return nil, value.Errorf(value.CodeDuplicate, "%s: %s and %s would both be the table %s", source, other, t.files[0].path, t.name).WithHint("rename one of them")
		}
		names[t.name] = t.files[0].path
	}
	return tables, nil
}

// plainFile returns what is known of a file below a root, or nil for what is none: a device,
// a pipe, or a link that leads out of the root.
func plainFile(root, path string) (fs.FileInfo, error) {
	info, err := os.Lstat(path)
	if err != nil {
		return nil, err
	}
	if info.Mode()&fs.ModeSymlink != 0 {
		to, err1 := filepath.EvalSymlinks(path)
		within, err2 := filepath.EvalSymlinks(root)
		if err := errors.Join(err1, err2); err != nil {
			return nil, err
		}
		if rel, err := filepath.Rel(within, to); err != nil || !filepath.IsLocal(rel) {
			return nil, nil
		}
		if info, err = os.Stat(path); err != nil {
			return nil, err
		}
	}
	if !info.Mode().IsRegular() {
		return nil, nil
	}
	return info, nil
}

func unreadable(source, path string, err error) error {
	return value.Errorf(value.CodeSource, "%s: %s cannot be read: %s", source, path, cause(err)).WithHint("check who may read it")
}

// cause is the innermost message of an error: the path is named already.
func cause(err error) string {
	if pe, ok := err.(*fs.PathError); ok {
		return pe.Err.Error()
	}
	return err.Error()
}

// folderTable makes one table of all files below a folder.
func folderTable(source, root string, suffixes []string) (*listing, error) {
	t := &listing{name: tableName(root, nil), folder: true}
	found := map[string][]string{} // a file's path → its folders named key=value
	err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return unreadable(source, path, err)
		case strings.HasPrefix(d.Name(), ".") && path != root && d.IsDir():
			return filepath.SkipDir
		case d.IsDir() || strings.HasPrefix(d.Name(), ".") || !hasSuffix(d.Name(), suffixes):
			return nil
		case len(t.files) == maxFiles:
			return value.Errorf(value.CodeSource, "%s: there are more than %d files below %s", source, maxFiles, root).WithHint("connect a part of them")
		}
		info, err := plainFile(root, path)
		if err != nil {
			return unreadable(source, path, err)
		}
		if info == nil {
			return nil
		}
		rel, err := filepath.Rel(root, filepath.Dir(path))
		if err != nil {
			return err
		}
		for _, folder := range strings.Split(filepath.ToSlash(rel), "/") {
			if strings.Contains(folder, "=") {
				found[path] = append(found[path], folder)
			}
		}
		t.files = append(t.files, newFile(path, info))
		return nil
	})
	if err != nil {
		return nil, err
	}
	sort.Slice(t.files, func(i, j int) bool { return t.files[i].path < t.files[j].path })
	return t, t.readParts(source, found)
}

// readParts takes the parts out of the folders' names: the same keys in every
// file, each of the narrowest kind that all its values have.
func (t *listing) readParts(source string, folders map[string][]string) error {
	texts := make([][]string, len(t.files))
	for i, f := range t.files {
		var keys []string
		for _, folder := range folders[f.path] {
			key, text, err := keyAndText(folder)
			if err != nil {
				return value.Errorf(value.CodeBadText, "%s: the folder %q of %s: %s", source, folder, f.path, err).WithHint("rename it in UTF-8")
			}
			keys, texts[i] = append(keys, shape.CleanName(key)), append(texts[i], text)
		}
		if i == 0 {
			t.parts = keys
		}
		if strings.Join(keys, "/") != strings.Join(t.parts, "/") {
			return value.Errorf(value.CodeSource, "%s: the folders of %s name %s, those of %s name %s", source,
				t.files[0].path, partNames(t.parts), f.path, partNames(keys)).WithHint("give all files of a table the same folders")
		}
	}
	for p := range t.parts {
		var all []string
		for _, row := range texts {
			all = append(all, row[p])
		}
		kind := partKind(all)
		t.kinds = append(t.kinds, kind)
		for i := range t.files {
			v, err := partValue(kind, texts[i][p])
			if err != nil {
				return fmt.Errorf("reading the folders of %s: %w", t.files[i].path, err)
			}
			t.files[i].parts = append(t.files[i].parts, v)
		}
	}
	return nil
}

// noValue is the name that writers of such folders give to the one without a value.
var noValue = regexp.MustCompile(`^__[A-Z]+_DEFAULT_PARTITION__$`)

// keyAndText takes the name of a folder apart; each part may have escapes of %. An
// empty text is NULL.
func keyAndText(folder string) (key, text string, err error) {
	key, text, _ = strings.Cut(folder, "=")
	for _, part := range []*string{&key, &text} {
		if plain, err := url.PathUnescape(*part); err == nil {
			*part = plain
		}
		if !utf8.ValidString(*part) || strings.ContainsRune(*part, 0) {
			return "", "", errors.New("the name is not UTF-8, or has the character 0")
		}
	}
	if noValue.MatchString(text) {
		text = ""
	}
	return key, text, nil
}

func partNames(names []string) string {
	if len(names) == 0 {
		return "nothing"
	}
	return strings.Join(names, " and ")
}

var wholeNumber = regexp.MustCompile(`^(0|-?[1-9][0-9]{0,17})$`)

// partKind is integer or date where all values are written so that nothing of
// the text is lost, else text.
func partKind(texts []string) value.Kind {
	numbers, dates := true, true
	for _, s := range texts {
		if s == "" {
			continue
		}
		numbers = numbers && wholeNumber.MatchString(s)
		d, err := value.Parse(value.Date, s)
		dates = dates && err == nil && d.String() == s
	}
	switch {
	case numbers:
		return value.Int8
	case dates:
		return value.Date
	}
	return value.Text
}

func partValue(k value.Kind, s string) (value.Value, error) {
	if s == "" {
		return value.NullOf(k), nil
	}
	return value.Parse(k, s)
}

// compressed are the endings that come after a format's own.
var compressed = []string{"", ".gz", ".zst"}

func hasSuffix(name string, suffixes []string) bool { return suffixOf(name, suffixes) != "" }

// suffixOf returns the ending of a name that is the format's, with that of the
// compression.
func suffixOf(name string, suffixes []string) string {
	lower := strings.ToLower(name)
	for _, s := range suffixes {
		for _, c := range compressed {
			if strings.HasSuffix(lower, s+c) {
				return s + c
			}
		}
	}
	return ""
}

// tableName makes the name of a table from that of a file or folder.
func tableName(path string, suffixes []string) string {
	base := filepath.Base(path)
	return shape.CleanName(base[:len(base)-len(suffixOf(base, suffixes))])
}
