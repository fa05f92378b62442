package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"

	"github.com/jackc/pgx/v5"
	"github.com/spf13/cobra"
)

func backupCommand() *cobra.Command {
	var out string
	cmd := &cobra.Command{
		Use: "backup -o FILE", Short: "Write everything the server keeps to one file",
		Long: "Write everything the server keeps, people and recordings too, to one file: an archive of PostgreSQL's\npg_dump, as of one moment. The server may go on meanwhile. DATABASE_URL names the database. The audio of\nprints lies in the folder of --audio; copy it beside.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			url, err := databaseURL()
			if err != nil {
				return err
			}
			if out == "" {
				return wrongUse{fmt.Errorf("-o names the file to write")}
			}
			if err := backup(cmd.Context(), url, out); err != nil {
				return err
			}
			info, err := os.Stat(out)
			if err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s holds everything, %d KiB.\n", out, info.Size()>>10)
			return nil
		},
	}
	cmd.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return cmd
}

func restoreCommand() *cobra.Command {
	return &cobra.Command{
		Use: "restore FILE", Short: "Restore a backup into an empty database",
		Long: "Restore a backup, all of it or nothing, into the database of DATABASE_URL, which must be empty. A file of an earlier Fanfold is brought up to date when the server starts.",
		Args: oneFile("what backup wrote"),
		RunE: func(cmd *cobra.Command, args []string) error {
			url, err := databaseURL()
			if err != nil {
				return err
			}
			if err := restore(cmd.Context(), url, args[0]); err != nil {
				return err
			}
			fmt.Fprintln(cmd.OutOrStdout(), "Everything is back. Start the server with 'fanfold serve'.")
			return nil
		},
	}
}

func databaseURL() (string, error) {
	url := os.Getenv("DATABASE_URL")
	if url == "" {
		return "", wrongUse{fmt.Errorf("set DATABASE_URL to the database")}
	}
	return url, nil
}

// postgresTool finds a program of PostgreSQL's, the newest there is.
func postgresTool(name string) (string, error) {
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/" + name)
	if err == nil && len(found) > 0 {
		slices.Sort(found)
		return found[len(found)-1], nil
	}
	if path, err := exec.LookPath(name); err == nil {
		return path, nil
	}
	return "", fmt.Errorf("%s is not installed; install Debian's package postgresql-client", name)
}

// backup writes beside the file and takes its place in the end, so that a backup
// that fails leaves the one before.
func backup(ctx context.Context, url, out string) error {
	tool, err := postgresTool("pg_dump")
	if err != nil {
		return err
	}
	part := out + ".part"
	said, err := exec.CommandContext(ctx, tool, "--format=custom", "--no-owner", "--no-privileges", "--file="+part, url).CombinedOutput()
	if err != nil {
		return errors.Join(fmt.Errorf("back up: %s", said), os.Remove(part))
	}
	return os.Rename(part, out)
}

func restore(ctx context.Context, url, from string) error {
	tool, err := postgresTool("pg_restore")
	if err != nil {
		return err
	}
	if _, err := os.Stat(from); err != nil {
		return fmt.Errorf("restore: %w", err)
	}
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return fmt.Errorf("restore: %w", err)
	}
	defer conn.Close(ctx)
	var tables int
	if err := conn.QueryRow(ctx, "select count(*) from pg_tables where schemaname = 'public'").Scan(&tables); err != nil {
		return fmt.Errorf("restore: %w", err)
	}
	if tables > 0 {
		return fmt.Errorf("the database holds %d tables already; restore into an empty one (createdb makes it)", tables)
	}
	said, err := exec.CommandContext(ctx, tool, "--single-transaction", "--exit-on-error", "--no-owner", "--no-privileges", "--dbname="+url, from).CombinedOutput()
	if err != nil {
		return fmt.Errorf("restore: %s", said)
	}
	return nil
}
