package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"fanfold/internal/app"
)

func studioCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "studio", Short: "Take a studio out in one archive, and bring it in on another server",
		Long: "Take a studio out in one archive, and bring it in on another server. DATABASE_URL names the servers'\ndatabase, --audio their audio store. Passwords, passkeys, links and credentials of hosts do not go along.",
		Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	c.AddCommand(studioOutCommand(), studioInCommand())
	return c
}

func studioOutCommand() *cobra.Command {
	var audio, out string
	c := &cobra.Command{
		Use: "out NAME -o FILE", Short: "Write everything that a studio has to one archive",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return wrongUse{errors.New("give the name of the studio")}
			}
			return nil
		},
		RunE: func(c *cobra.Command, args []string) error {
			if out == "" {
				return wrongUse{errors.New("say where to write with -o")}
			}
			return besideServers(c.Context(), audio, func(ctx context.Context, a *app.App) error {
				p, err := a.StudioNamed(ctx, args[0])
				if err != nil {
					return err
				}
				x, err := a.ArchiveStudio(ctx, p)
				if err != nil {
					return err
				}
				defer func() { _ = x.Close() }() // temporary files
				if err := writeWhole(out, func(w io.Writer) error { return x.Write(ctx, w) }); err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "%s holds all of %s.\n", out, x.Name)
				return nil
			})
		},
	}
	c.Flags().StringVar(&audio, "audio", "fanfold-audio", "where prints and recordings lie: the folder or URL that the servers have")
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return c
}

func studioInCommand() *cobra.Command {
	var audio, address string
	c := &cobra.Command{
		Use: "in FILE", Short: "Bring a studio in from its archive",
		Args: oneFile("the archive of a studio"),
		RunE: func(c *cobra.Command, args []string) error {
			file, err := os.Open(args[0])
			if err != nil {
				return openError(err)
			}
			defer file.Close()
			info, err := file.Stat()
			if err != nil {
				return err
			}
			return besideServers(c.Context(), audio, func(ctx context.Context, a *app.App) error {
				x, err := a.BringStudio(ctx, file, info.Size())
				if err != nil {
					return fmt.Errorf("%s: %w", args[0], err)
				}
				fmt.Fprintf(c.OutOrStdout(), "%s is brought in, with %d files of audio. Its owners set a password by these links, within two weeks:\n", x.Name, x.Audio)
				for _, email := range slices.Sorted(maps.Keys(x.Owners)) {
					fmt.Fprintf(c.OutOrStdout(), "  %s: %s/invitation/%s\n", email, strings.TrimSuffix(address, "/"), x.Owners[email])
				}
				return nil
			})
		},
	}
	c.Flags().StringVar(&audio, "audio", "fanfold-audio", "where prints and recordings lie: the folder or URL that the servers have")
	c.Flags().StringVar(&address, "address", "http://127.0.0.1:7070", "where browsers reach the server, for the links")
	return c
}

// besideServers does something with what servers have.
func besideServers(ctx context.Context, audio string, do func(context.Context, *app.App) error) (err error) {
	url, err := databaseURL()
	if err != nil {
		return err
	}
	a, closeAll, err := appBeside(ctx, url, audio)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, closeAll()) }()
	return do(ctx, a)
}

// writeWhole writes a file whole or not at all.
func writeWhole(path string, write func(io.Writer) error) error {
	part := path + ".part"
	f, err := os.Create(part)
	if err != nil {
		return err
	}
	if err := errors.Join(write(f), f.Close()); err != nil {
		return errors.Join(err, os.Remove(part))
	}
	return os.Rename(part, path)
}
