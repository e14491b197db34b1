package views

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"reflect"
	"slices"
	"sort"
	"strings"

	"rovik/app/project"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
	"rovik/records"
)

// The files of a project. A view's text is a file of its own, with a line end
// behind it.
const (
	projectFile = "project.yaml"
	viewsFolder = "views"
	sourcesPath = "sources"
)

// sourceDoc is how a source is reached and what was chosen about it. Passwords
// that Rovik keeps are not in it, nor what was measured.
type sourceDoc struct {
	Kind     string
	Note     string
	Config   connect.Config
	Hidden   []string
	Shapes   []*shape.Shape
	Types    connect.ColumnTypes
	Declared []catalog.DeclaredKey
}

// Files returns the project as files, by their path: one for each view and
// source, and one for the layers. The same project always gives the same files.
func (vs *Views) Files() (map[string][]byte, error) {
	s := vs.project.Now()
	out := map[string][]byte{}
	doc := projectFileForm{Layers: []layerFileForm{}}
	for _, l := range s.Catalog().Layers() {
		of := layerFileForm{Name: l.Name, Description: l.Description, Views: map[string]string{}, Notes: map[string]notesFileForm{}}
		for _, v := range s.Catalog().Views() {
			if v.Layer == l.Name {
				of.Views[v.Name] = v.Description
				if !v.Notes.Empty() {
					of.Notes[v.Name] = noteForms(v.Notes)
				}
				out[viewPath(v)] = []byte(v.SQL + "\n")
			}
		}
		doc.Layers = append(doc.Layers, of)
	}
	var err error
	if out[projectFile], err = toYAML(doc); err != nil {
		return nil, err
	}
	for _, src := range s.Sources() {
		if src.Record.Unreadable != nil {
			return nil, src.Record.Unreadable
		}
		if out[sourcePath(src.Record.Name)], err = toYAML(docOf(src.Record).form()); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func viewPath(v *catalog.View) string { return path.Join(viewsFolder, v.Layer, v.Name+".sql") }

func sourcePath(name string) string { return path.Join(sourcesPath, name+".yaml") }

func docOf(r *records.Source) sourceDoc {
	d := sourceDoc{Kind: r.Kind, Note: r.Note, Config: r.Config, Hidden: r.Hidden, Shapes: r.Shapes}
	if strings.HasPrefix(d.Config.Secret, "kept:") {
		d.Config.Secret = "kept"
	}
	for table, columns := range r.Types {
		if len(columns) > 0 {
			if d.Types == nil {
				d.Types = connect.ColumnTypes{}
			}
			d.Types[table] = columns
		}
	}
	for _, k := range r.Declared {
		d.Declared = append(d.Declared, catalog.DeclaredKey{Table: k.Table, Columns: k.Columns, To: k.To, References: k.References})
	}
	return d
}

// Export writes the project's files into a folder, and takes out those of views
// and sources that it does not have.
func (vs *Views) Export(dir string) (int, error) {
	files, err := vs.Files()
	if err != nil {
		return 0, err
	}
	have, err := readFiles(dir)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return 0, err
	}
	if len(have) > 0 && have[projectFile] == nil {
		return 0, value.Errorf(value.CodeSource, "%s has files of a project, and no %s", dir, projectFile).WithHint("export into an empty folder, or into one that was exported to")
	}
	for name := range have {
		if files[name] == nil {
			if err := os.Remove(filepath.Join(dir, name)); err != nil {
				return 0, fmt.Errorf("exporting: %w", err)
			}
		}
	}
	for name, b := range files {
		to := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return 0, fmt.Errorf("exporting: %w", err)
		}
		if err := os.WriteFile(to, b, 0o644); err != nil {
			return 0, fmt.Errorf("exporting: %w", err)
		}
	}
	return len(files), nil
}

// maxFile bounds one file of a project.
const maxFile = 16 << 20

// readFiles reads the files of a project in a folder, and no others.
func readFiles(dir string) (map[string][]byte, error) {
	out := map[string][]byte{}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, fmt.Errorf("reading the project's files: %w", err)
	}
	defer root.Close()
	err = fs.WalkDir(root.FS(), ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !isProjects(name) {
			return err
		}
		if info, err := d.Info(); err != nil || info.Size() > maxFile {
			return errors.Join(err, value.Errorf(value.CodeSource, "%s is too large for a project file", name))
		}
		b, err := fs.ReadFile(root.FS(), name)
		out[name] = withoutMark(b)
		return err
	})
	return out, err
}

// isProjects reports whether a path is one that an export writes.
func isProjects(name string) bool {
	parts := strings.Split(name, "/")
	switch {
	case name == projectFile:
		return true
	case len(parts) == 3 && parts[0] == viewsFolder:
		return path.Ext(name) == ".sql"
	case len(parts) == 2 && parts[0] == sourcesPath:
		return path.Ext(name) == ".yaml"
	}
	return false
}

// FileChange is a file that differs from the project as it is.
type FileChange struct {
	Path string
	What string // "added", "changed" or "gone"
}

// Breach is what is wrong with a view's file. Line and Column count from 1; 0 is
// the file as a whole.
type Breach struct {
	Path         string
	Line, Column int
	Message      string
	Hint         string
}

// Place is the file with the line and column, where these are known.
func (b Breach) Place() string {
	if b.Line == 0 {
		return b.Path
	}
	return fmt.Sprintf("%s:%d:%d", b.Path, b.Line, b.Column)
}

// Imported is what the files of a folder would make of the project.
type Imported struct {
	Changes  []FileChange
	Breaches []Breach
	layers   []catalog.Layer
	put      []*catalog.View
	drop     []*catalog.View
	sources  map[string]sourceDoc // that are to be connected, or connected otherwise
	gone     []string             // sources
}

// ReadFiles compares the files of a folder with the project, and binds the views
// as the files have them: over the sources that are connected.
func (vs *Views) ReadFiles(dir string) (*Imported, error) {
	files, err := readFiles(dir)
	if err != nil {
		return nil, err
	}
	if files[projectFile] == nil {
		return nil, value.Errorf(value.CodeSource, "%s has no %s", dir, projectFile).WithHint("rovik export writes one")
	}
	now, err := vs.Files()
	if err != nil {
		return nil, err
	}
	out := &Imported{sources: map[string]sourceDoc{}}
	for name, b := range files {
		switch {
		case now[name] == nil:
			out.Changes = append(out.Changes, FileChange{name, "added"})
		case !bytes.Equal(now[name], b):
			out.Changes = append(out.Changes, FileChange{name, "changed"})
		}
	}
	for name := range now {
		if files[name] == nil {
			out.Changes = append(out.Changes, FileChange{name, "gone"})
		}
	}
	sort.Slice(out.Changes, func(i, j int) bool { return out.Changes[i].Path < out.Changes[j].Path })
	out.readSources(files)
	vs.readViews(out, files)
	return out, nil
}

// readSources reads the sources that are not as they were. None is connected for it.
func (im *Imported) readSources(files map[string][]byte) {
	for _, c := range im.Changes {
		name, is := strings.CutPrefix(c.Path, sourcesPath+"/")
		name = strings.TrimSuffix(name, ".yaml")
		if !is {
			continue
		}
		if c.What == "gone" {
			im.gone = append(im.gone, name)
			continue
		}
		var form sourceFileForm
		if err := fromYAML(files[c.Path], &form); err != nil {
			im.Breaches = append(im.Breaches, yamlBreach(c.Path, err))
			continue
		}
		d := form.doc()
		if err := d.check(name); err != nil {
			b := Breach{Path: c.Path, Message: err.Error()}
			var ve *value.Error
			if errors.As(err, &ve) {
				b.Message, b.Hint = ve.Message, ve.Hint
			}
			im.Breaches = append(im.Breaches, b)
			continue
		}
		im.sources[name] = d
	}
}

// check says why a source could not be connected so, as far as that is known without
// trying.
func (d sourceDoc) check(name string) error {
	if err := project.CheckName("source", name); err != nil {
		return err
	}
	asked := sources.NewSource{Name: name, Kind: d.Kind, Config: d.Config}
	asked.Config.Secret = "" // which has its own rules
	full, err := asked.Complete()
	if err != nil || full.Config.Path == "" {
		return err
	}
	if _, err := os.Stat(full.Config.Path); err != nil {
		return value.Errorf(value.CodeSource, "%s does not exist", full.Config.Path).WithHint("say where the file or folder is on this machine")
	}
	return nil
}

// readViews reads layers and views, and binds the views.
func (vs *Views) readViews(im *Imported, files map[string][]byte) {
	var doc projectFileForm
	if err := fromYAML(files[projectFile], &doc); err != nil {
		im.Breaches = append(im.Breaches, yamlBreach(projectFile, err))
		return
	}
	s := vs.project.Now()
	breach := func(path, message string) { im.Breaches = append(im.Breaches, Breach{Path: path, Message: message}) }
	var views []*catalog.View
	seen := map[string]bool{}
	for _, l := range doc.Layers {
		if err := project.CheckName("layer", l.Name); err != nil || seen[l.Name] {
			breach(projectFile, fmt.Sprintf("%q cannot be a layer, or is there twice", l.Name))
			continue
		}
		seen[l.Name] = true
		im.layers = append(im.layers, catalog.Layer{Name: l.Name, Description: l.Description})
		for name, description := range l.Views {
			v := &catalog.View{Layer: l.Name, Name: name, Description: description, Notes: l.Notes[name].notes()}
			text, ok := files[viewPath(v)]
			if err := project.CheckName("view", name); err != nil {
				breach(projectFile, err.Error())
				continue
			}
			if !ok {
				breach(projectFile, "there is no "+viewPath(v))
				continue
			}
			v.SQL = strings.TrimSuffix(string(text), "\n")
			views = append(views, v)
			if was := s.Catalog().View(v.FullName()); was == nil || was.SQL != v.SQL || was.Description != v.Description || !reflect.DeepEqual(was.Notes, v.Notes) {
				im.put = append(im.put, v)
			}
		}
	}
	for name := range files {
		parts := strings.Split(name, "/")
		if parts[0] == viewsFolder && !slices.ContainsFunc(views, func(v *catalog.View) bool { return viewPath(v) == name }) {
			breach(name, projectFile+" names no view of that layer and name")
		}
	}
	next := catalog.New(s.Catalog().Sources(), im.layers, views)
	for _, v := range s.Catalog().Views() {
		if next.View(v.FullName()) == nil {
			im.drop = append(im.drop, v)
		}
	}
	for _, v := range s.With(next).Estate().Views() {
		err := v.Err
		if err == nil {
			err = catalog.OwnNames("a view", v.Table.Columns)
		}
		if err != nil {
			im.Breaches = append(im.Breaches, breachOf(v.View, err))
		}
	}
	sort.Slice(im.Breaches, func(i, j int) bool {
		a, b := im.Breaches[i], im.Breaches[j]
		return a.Path < b.Path || a.Path == b.Path && a.Line < b.Line
	})
	sort.Slice(im.put, func(i, j int) bool { return im.put[i].FullName() < im.put[j].FullName() })
}

// breachOf says where a view that does not bind is wrong: in its own text, or in
// that of one it reads.
func breachOf(v *catalog.View, err error) Breach {
	out := Breach{Path: viewPath(v), Message: err.Error()}
	var ve *value.Error
	if !errors.As(err, &ve) {
		return out
	}
	out.Message, out.Hint = ve.Message, ve.Hint
	if ve.View != v.FullName() && ve.View != "" {
		out.Message = fmt.Sprintf("%s, which it reads: %s", ve.View, ve.Message)
		return out
	}
	if ve.Start >= 0 && ve.Start <= len(v.SQL) {
		before := v.SQL[:ve.Start]
		out.Line = strings.Count(before, "\n") + 1
		out.Column = len([]rune(before[strings.LastIndexByte(before, '\n')+1:])) + 1
	}
	return out
}

// Apply makes the project what was read. Nothing changes where a view would not
// bind that binds now, or is new. Sources are connected first: over them the views
// are bound again.
func (vs *Views) Apply(ctx context.Context, dir string, im *Imported) error {
	refused := func(b Breach) error {
		return value.Errorf(project.CodeBroken, "%s: %s", b.Place(), b.Message).WithHint("rovik check %s lists all that is wrong", dir)
	}
	for _, b := range im.Breaches {
		if !strings.HasPrefix(b.Path, viewsFolder+"/") { // what else is wrong, a source does not mend
			return refused(b)
		}
	}
	for name, d := range im.sources {
		if err := vs.applySource(ctx, name, d); err != nil {
			return fmt.Errorf("%s: %w", sourcePath(name), err)
		}
	}
	if len(im.sources) > 0 {
		var err error
		if im, err = vs.ReadFiles(dir); err != nil {
			return err
		}
	}
	if len(im.Breaches) > 0 {
		return refused(im.Breaches[0])
	}
	_, err := vs.project.Write(ctx, func(*project.Snapshot) (*project.Change, error) {
		return &project.Change{Change: records.Change{Layers: append([]catalog.Layer{}, im.layers...), Put: im.put, Drop: im.drop, Message: "Imported", Base: AnyRevision}}, nil
	})
	if err != nil {
		return err
	}
	for _, name := range im.gone {
		if err := vs.sources.Remove(ctx, name, false); err != nil {
			return err
		}
	}
	return nil
}

// applySource connects a source as its file says. Its password comes from where
// the file says or, where it is kept, is the one that is kept here.
func (vs *Views) applySource(ctx context.Context, name string, d sourceDoc) error {
	had := vs.project.Now().Has(name)
	if d.Config.Secret == "kept" {
		if had == nil || !strings.HasPrefix(had.Record.Config.Secret, "kept:") {
			return value.Errorf(value.CodeSource, "the password of %s was kept, and is not in its file", name).
				WithHint("write secret: env:NAME into it, or connect the source first")
		}
		d.Config.Secret = had.Record.Config.Secret
	}
	if had == nil || had.Record.Kind != d.Kind || had.Record.Config != d.Config || len(d.Shapes) > 0 {
		if _, err := vs.sources.ConnectAs(ctx, sources.NewSource{Name: name, Kind: d.Kind, Config: d.Config, Note: d.Note, Shapes: d.Shapes}); err != nil {
			return err
		}
	}
	if err := vs.sources.Alter(ctx, name, func(r *records.Source) { r.Note, r.Hidden, r.Types = d.Note, d.Hidden, d.Types }); err != nil {
		return err
	}
	if len(d.Types) > 0 {
		if _, err := vs.sources.Refresh(ctx, name); err != nil {
			return err
		}
	}
	src, err := vs.project.Now().Source(name)
	if err != nil {
		return err
	}
	for _, k := range src.Record.Declared {
		if !slices.ContainsFunc(d.Declared, k.Same) {
			if err := vs.sources.DropKey(ctx, name, k); err != nil {
				return err
			}
		}
	}
	for _, k := range d.Declared {
		if !slices.ContainsFunc(src.Record.Declared, k.Same) {
			if _, err := vs.sources.DeclareKey(ctx, name, k); err != nil {
				return err
			}
		}
	}
	return nil
}
