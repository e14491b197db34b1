package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/core/value"
	"rovik/demo"
	"rovik/serve"
)

func serveCommand() *cobra.Command {
	var o serve.Options
	cmd := &cobra.Command{Use: "serve", Short: "Serve the page", Args: exactly(0)}
	cmd.Flags().StringVar(&o.Addr, "addr", "127.0.0.1:8080", "address to serve on")
	cmd.Flags().BoolVar(&o.Open, "unsafe-open", false, "serve beyond this machine, unencrypted, to anyone who has the token")
	cmd.Flags().StringArrayVar(&o.Secrets, "secrets", nil, "folder whose files the page may name as password files; may be given several times")
	level := logFlag(cmd)
	heldFlags(cmd)
	guard := guardFlags(cmd)
	every := cmd.Flags().Duration("check-every", time.Hour, "how often sources are compared with what is known of them; 0 for never")
	cmd.RunE = guard(func(ctx context.Context, a *app.App, token string) error {
		if err := logAt(*level); err != nil {
			return err
		}
		if *every < 0 || *every > 0 && *every < time.Second {
			return usageError{fmt.Errorf("--check-every takes a second or more, or 0")}
		}
		if *every > 0 {
			ctx, cancel := context.WithCancel(ctx)
			defer cancel()
			go func() {
				if err := value.Guarded(func() error { a.Sources.Watch(ctx, *every); return nil }); err != nil {
					slog.Error("sources are not watched any more", "error", err)
				}
			}()
		}
		o.Token = token
		return serve.Run(ctx, a, o, announce)
	})
	return cmd
}

// guarded serves a project with a token.
type guarded func(ctx context.Context, a *app.App, token string) error

// guardFlags are the flags of what keeps others out who use the same machine. What is
// returned makes a command of what serves; sources may be in the folders that it is given, too.
func guardFlags(cmd *cobra.Command) func(run guarded, folders ...string) func(*cobra.Command, []string) error {
	open := cmd.Flags().Bool("no-token", false, "answer whoever reaches the address, as each user of this machine, without the token that is in it")
	in := cmd.Flags().StringArray("folder", usualFolders(), "folder that files of sources may be in; may be given several times")
	return func(run guarded, folders ...string) func(*cobra.Command, []string) error {
		serving := withApp(func(ctx context.Context, a *app.App, _ []string) (err error) {
			token := ""
			if !*open {
				if token, err = a.Records().Token(); err != nil {
					return err
				}
			}
			return run(ctx, a, token)
		})
		return func(cmd *cobra.Command, args []string) error {
			limits.Query.Folders = append(slices.Clone(*in), folders...)
			return serving(cmd, args)
		}
	}
}

// usualFolders are the user's own folder and the one that the command is started in.
func usualFolders() []string {
	var out []string
	for _, find := range []func() (string, error){os.UserHomeDir, os.Getwd} {
		if folder, err := find(); err == nil && !slices.Contains(out, folder) {
			out = append(out, folder)
		}
	}
	return out
}

// logFlag is the flag that says what is logged.
func logFlag(cmd *cobra.Command) *string {
	return cmd.Flags().String("log", "warn", "what is logged to standard error: debug (requests, too), info (runs), warn or error")
}

func logAt(name string) error {
	var level slog.Level
	if err := level.UnmarshalText([]byte(name)); err != nil {
		return usageError{fmt.Errorf("--log takes debug, info, warn or error, not %q", name)}
	}
	slog.SetDefault(slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level})))
	return nil
}

func announce(url string) { fmt.Printf("Rovik serves on %s (Ctrl-C stops it)\n", url) }

func demoCommand() *cobra.Command {
	setup := demo.Setup{Say: func(format string, args ...any) { fmt.Printf("demo: "+format+"\n", args...) }}
	o := serve.Options{StepOver: true}
	cmd := &cobra.Command{Use: "demo", Short: "Start the demo's databases and serve the Saltmarsh Museums", Args: exactly(0)}
	cmd.Flags().StringVar(&setup.Dir, "dir", ".demo", "folder for the demo's data")
	cmd.Flags().Float64Var(&setup.Scale, "scale", 1, "multiplies the number of rows")
	cmd.Flags().BoolVar(&setup.Embedded, "embedded", false, "use SQLite files even where the servers are installed")
	cmd.Flags().StringVar(&o.Addr, "addr", "127.0.0.1:8080", "address to serve on; a port in use is stepped over")
	level := logFlag(cmd)
	heldFlags(cmd)
	guard := guardFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := logAt(*level); err != nil {
			return err
		}
		if setup.Scale <= 0 || setup.Scale > 100 {
			return usageError{fmt.Errorf("--scale takes a number above 0, up to 100")}
		}
		began := time.Now()
		env, err := demo.Prepare(cmd.Context(), setup)
		if err != nil {
			return err
		}
		defer env.Stop()
		home = filepath.Join(setup.Dir, "home")
		data, err := filepath.Abs(setup.Dir)
		if err != nil {
			return fmt.Errorf("finding the demo's folder: %w", err)
		}
		return guard(func(ctx context.Context, a *app.App, token string) error {
			setup.Say("ready after %.1f s", time.Since(began).Seconds())
			o.Token = token
			return serve.Run(ctx, a, o, announce)
		}, data)(cmd, nil)
	}
	return cmd
}
