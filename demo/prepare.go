package demo

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"

	"rovik/app"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/shape"
)

// Setup says how the demo is prepared.
type Setup struct {
	Dir           string // data and records; .demo
	Scale         float64
	Embedded      bool // use SQLite files even where servers are there
	LogStatements bool
	Say           func(format string, args ...any)
}

// Env is the prepared demo.
type Env struct {
	Home      string
	Postgres  *Server // nil where SQLite stands in
	MariaDB   *Server
	Documents *Server
	Tables    []*Table
}

// Stop ends the servers that Prepare started.
func (e *Env) Stop() {
	var wg sync.WaitGroup
	for _, s := range []*Server{e.Postgres, e.MariaDB, e.Documents} {
		wg.Add(1)
		go func() {
			defer wg.Done()
			s.Stop()
		}()
	}
	wg.Wait()
}

// source is one of the story's sources with what connects it.
type source struct {
	name, kind, note string
	cfg              connect.Config
	shapes           []*shape.Shape // of its nested records
}

// Prepare brings up the servers, fills them where they are not yet, and sets
// up the project. It may be called again on the same folder.
func Prepare(ctx context.Context, s Setup) (*Env, error) {
	env := &Env{Home: filepath.Join(s.Dir, "home"), Tables: Tables(Seed, s.Scale)}
	done := false
	defer func() {
		if !done {
			env.Stop()
		}
	}()
	// The servers' user has to get through the folder, but not into the home.
	if err := os.MkdirAll(s.Dir, 0o755); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Join(env.Home, "secrets"), 0o700); err != nil {
		return nil, err
	}
	opts := Options{Dir: filepath.Join(s.Dir, "servers"), LogStatements: s.LogStatements, Say: s.Say}
	bin, mariadbd := Installed()
	documents := docServer()
	if s.Embedded {
		bin, mariadbd, documents = "", "", ""
	}
	// The servers start at the same time.
	var pgErr, mariaErr, docErr error
	var wg sync.WaitGroup
	wg.Add(3)
	go func() {
		defer wg.Done()
		if documents != "" {
			env.Documents, docErr = StartDocuments(ctx, documents, opts)
		}
	}()
	go func() {
		defer wg.Done()
		if bin != "" {
			env.Postgres, pgErr = StartPostgres(ctx, bin, opts)
		}
	}()
	go func() {
		defer wg.Done()
		if mariadbd != "" {
			env.MariaDB, mariaErr = StartMariaDB(ctx, mariadbd, opts)
		}
	}()
	wg.Wait()
	if err := errors.Join(pgErr, mariaErr, docErr); err != nil {
		return nil, err
	}
	p := &preparer{Setup: s, env: env}
	prepares := []func(context.Context) (source, error){p.registry, p.lending, p.archive, p.climate, p.rates, p.closingDays, p.condition, p.partnerReports}
	list := make([]source, len(prepares))
	errs := make([]error, len(prepares))
	for i, prepare := range prepares {
		wg.Add(1)
		go func() {
			defer wg.Done()
			list[i], errs[i] = prepare(ctx)
		}()
	}
	wg.Wait()
	if err := errors.Join(errs...); err != nil {
		return nil, err
	}
	if err := p.project(ctx, list); err != nil {
		return nil, err
	}
	done = true
	return env, nil
}

type preparer struct {
	Setup
	env *Env
}

func (p *preparer) tables(source string) []*Table {
	var out []*Table
	for _, t := range p.env.Tables {
		if t.Source == source {
			out = append(out, t)
		}
	}
	return out
}

// filled reports whether a source was filled at this scale, by a marker whose
// path it returns for writing.
func (p *preparer) filled(dir, source string) (marker string, ok bool) {
	marker = filepath.Join(dir, fmt.Sprintf("%s-filled-%d-%g", source, Seed, p.Scale))
	_, err := os.Stat(marker)
	return marker, err == nil
}

func (p *preparer) secret(name string) (ref, password string, err error) {
	path, err := filepath.Abs(filepath.Join(p.env.Home, "secrets", name))
	if err != nil {
		return "", "", err
	}
	password, err = keptSecret(path, nil)
	return "file:" + path, password, err
}

const readerUser = "rovik_reader"

func (p *preparer) registry(ctx context.Context) (source, error) {
	srv := p.env.Postgres
	if srv == nil {
		return p.standIn(ctx, "registry", "PostgreSQL")
	}
	ref, password, err := p.secret("registry")
	if err != nil {
		return source{}, err
	}
	src := source{"registry", "postgresql", "", connect.Config{Host: "127.0.0.1", Port: srv.Port, Database: "registry", User: readerUser, Secret: ref}, nil}
	marker, ok := p.filled(srv.Dir, "registry")
	if ok {
		return src, nil
	}
	p.Say("filling registry (PostgreSQL)")
	admin, err := srv.Postgres(ctx, "postgres")
	if err != nil {
		return src, err
	}
	defer admin.Close(ctx)
	for _, q := range []string{
		"DROP DATABASE IF EXISTS registry WITH (FORCE)", "CREATE DATABASE registry",
		"DROP ROLE IF EXISTS " + readerUser, "CREATE ROLE " + readerUser + " LOGIN PASSWORD '" + password + "'",
	} {
		if _, err := admin.Exec(ctx, q); err != nil {
			return src, fmt.Errorf("preparing registry: %w", err)
		}
	}
	conn, err := srv.Postgres(ctx, "registry")
	if err != nil {
		return src, err
	}
	defer conn.Close(ctx)
	if err := LoadPostgres(ctx, conn, "public", p.tables("registry")); err != nil {
		return src, fmt.Errorf("preparing registry: %w", err)
	}
	if _, err := conn.Exec(ctx, "GRANT SELECT ON ALL TABLES IN SCHEMA public TO "+readerUser); err != nil {
		return src, fmt.Errorf("preparing registry: %w", err)
	}
	return src, os.WriteFile(marker, nil, 0o600)
}

func (p *preparer) lending(ctx context.Context) (source, error) {
	srv := p.env.MariaDB
	if srv == nil {
		return p.standIn(ctx, "lending", "MariaDB")
	}
	ref, password, err := p.secret("lending")
	if err != nil {
		return source{}, err
	}
	src := source{"lending", "mariadb", "", connect.Config{Host: "127.0.0.1", Port: srv.Port, Database: "lending", User: readerUser, Secret: ref}, nil}
	marker, ok := p.filled(srv.Dir, "lending")
	if ok {
		return src, nil
	}
	p.Say("filling lending (MariaDB)")
	admin, err := srv.MariaDB("")
	if err != nil {
		return src, err
	}
	defer admin.Close()
	for _, q := range []string{
		"DROP DATABASE IF EXISTS lending", "CREATE DATABASE lending CHARACTER SET utf8mb4",
		"CREATE OR REPLACE USER '" + readerUser + "'@'127.0.0.1' IDENTIFIED BY '" + password + "'",
		"GRANT SELECT ON lending.* TO '" + readerUser + "'@'127.0.0.1'",
	} {
		if _, err := admin.ExecContext(ctx, q); err != nil {
			return src, fmt.Errorf("preparing lending: %w", err)
		}
	}
	db, err := srv.MariaDB("lending")
	if err != nil {
		return src, err
	}
	defer db.Close()
	if err := LoadMariaDB(ctx, db, p.tables("lending")); err != nil {
		return src, fmt.Errorf("preparing lending: %w", err)
	}
	return src, os.WriteFile(marker, nil, 0o600)
}

func (p *preparer) archive(ctx context.Context) (source, error) { return p.file(ctx, "archive", "") }

// standIn fills a SQLite file in the place of a server that is missing.
func (p *preparer) standIn(ctx context.Context, name, product string) (source, error) {
	p.Say("%s is not installed: an embedded SQLite file stands in for %s", product, name)
	return p.file(ctx, name, "An embedded SQLite file stands in for "+product+", which is not installed here.")
}

func (p *preparer) file(ctx context.Context, name, note string) (source, error) {
	path, err := filepath.Abs(filepath.Join(p.Dir, name+".db"))
	if err != nil {
		return source{}, err
	}
	src := source{name, "sqlite", note, connect.Config{Path: path}, nil}
	marker, ok := p.filled(p.Dir, name)
	if ok {
		return src, nil
	}
	p.Say("filling %s (SQLite)", name)
	if err := os.RemoveAll(path); err != nil {
		return src, err
	}
	db, err := sql.Open("sqlite", "file:"+path+"?_pragma=synchronous(0)")
	if err != nil {
		return src, err
	}
	defer db.Close()
	if err := LoadSQLite(ctx, db, p.tables(name)); err != nil {
		return src, fmt.Errorf("preparing %s: %w", name, err)
	}
	return src, os.WriteFile(marker, nil, 0o600)
}

// project puts sources, layers and views into the records, where they are
// missing or changed.
func (p *preparer) project(ctx context.Context, list []source) error {
	a, err := app.Open(ctx, p.env.Home)
	if err != nil {
		return err
	}
	defer a.Close()
	_, stampErr := os.Stat(p.stamp())
	for _, s := range list {
		if stampErr == nil && a.Sources.Has(s.name, s.kind, s.cfg) {
			continue
		}
		p.Say("reading the catalogue of %s", s.name)
		n := sources.NewSource{Name: s.name, Kind: s.kind, Config: s.cfg, Note: s.note, Shapes: s.shapes, Replace: true}
		if _, err := a.Sources.Connect(ctx, n); err != nil {
			return fmt.Errorf("connecting %s: %w", s.name, err)
		}
	}
	if err := os.WriteFile(p.stamp(), nil, 0o600); err != nil {
		return err
	}
	if len(a.Now().Catalog().Views()) > 0 {
		return nil // the project is the user's now
	}
	return a.Views.Setup(ctx, Layers, Views)
}

// stamp is a file that is there once the catalogue was read at this scale.
func (p *preparer) stamp() string {
	return filepath.Join(p.env.Home, fmt.Sprintf("catalogue-%d-%g", Seed, p.Scale))
}
