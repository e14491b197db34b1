// Package app opens a project with all its use cases. Each is a package of its own that
// stands on the project: what the command line and the HTTP server offer, without either.
package app

import (
	"context"

	"rovik/app/builder"
	"rovik/app/project"
	"rovik/app/runs"
	"rovik/app/sources"
	"rovik/app/tracing"
	"rovik/app/views"
)

// App is an open project with its use cases. Its methods may be called at the same time.
type App struct {
	*project.Project
	Runs    *runs.Runs
	Sources *sources.Sources
	Views   *views.Views
	search  *tracing.Search
}

// Limits bound what a project does.
type Limits struct {
	Query project.Limits
	Runs  runs.Limits
}

// Usual returns the usual limits.
func Usual() Limits { return Limits{project.Usual, runs.Usual} }

// Open opens the project in a folder, with the usual limits.
func Open(ctx context.Context, home string) (*App, error) { return OpenWithin(ctx, home, Usual()) }

// OpenWithin opens the project in a folder.
func OpenWithin(ctx context.Context, home string, limits Limits) (*App, error) {
	health, search := &sources.HealthBook{}, &tracing.Search{}
	p, err := project.Open(ctx, home, limits.Query, project.Hooks{Drifted: health.Drifted, Changed: search.Update})
	if err != nil {
		return nil, err
	}
	src := sources.Of(p, health)
	return &App{Project: p, Runs: runs.Of(p, limits.Runs), Sources: src, Views: views.Of(p, src), search: search}, nil
}

// Close stops all runs and closes all connections.
func (a *App) Close() error {
	a.Runs.Close()
	return a.Project.Close()
}

// Builder is what the Builder asks, over the project as it is.
func (a *App) Builder() builder.Builder { return builder.On(a.Now()) }

// Tracing follows columns through the project as it is.
func (a *App) Tracing() tracing.Tracing { return tracing.On(a.Now()) }

// Search finds views and tables by the words in their names, columns, descriptions and
// SQL.
func (a *App) Search(ctx context.Context, words string) ([]tracing.Match, error) {
	return a.search.Find(ctx, a.Now(), words)
}
