package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
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
	cmd.Flags().BoolVar(&o.Open, "unsafe-open", false, "serve beyond this machine, to anyone who reaches the address: there is no sign-in")
	cmd.Flags().StringArrayVar(&o.Secrets, "secrets", nil, "folder whose files the page may name as password files; may be given several times")
	level := logFlag(cmd)
	heldFlags(cmd)
	every := cmd.Flags().Duration("check-every", time.Hour, "how often sources are compared with what is known of them; 0 for never")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, _ []string) error {
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
		return serve.Run(ctx, a, o, announce)
	})
	return cmd
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
		return withApp(func(ctx context.Context, a *app.App, _ []string) error {
			setup.Say("ready after %.1f s", time.Since(began).Seconds())
			return serve.Run(ctx, a, o, announce)
		})(cmd, nil)
	}
	return cmd
}
