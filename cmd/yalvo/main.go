// Command yalvo is the service and its client in one program.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"yalvo/internal/command/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := cli.Run(ctx, os.Args, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
