// Command docserver is the demo's document database: an embedded server of the
// BSON wire protocol over SQLite files. It is a module of its own, so that
// nothing of it is part of Rovik.
package main

import (
	"context"
	"flag"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"github.com/FerretDB/FerretDB/ferretdb"
)

func main() {
	addr := flag.String("addr", "127.0.0.1:27117", "where to listen, on loopback")
	dir := flag.String("dir", "", "the folder with the data")
	flag.Parse()
	if err := run(*addr, *dir); err != nil {
		fmt.Fprintln(os.Stderr, "error:", err)
		os.Exit(1)
	}
}

func run(addr, dir string) error {
	if dir == "" {
		return fmt.Errorf("say where the data is: --dir FOLDER")
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	logger := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError}))
	s, err := ferretdb.New(&ferretdb.Config{Listener: ferretdb.ListenerConfig{TCP: addr}, Logger: logger, Handler: "sqlite", SQLiteURL: "file:" + dir + "/"})
	if err != nil {
		return err
	}
	fmt.Println("listening on", addr)
	s.Run(ctx)
	return nil
}
