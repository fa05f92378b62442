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
	"fanfold/internal/format/patchlist"
	"fanfold/internal/format/sheet"
)

func studioCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "studio", Short: "Take a studio out in one archive, and bring it in on another server",
		Long: "Take a studio out in one archive, and bring it in on another server. DATABASE_URL names the servers'\ndatabase, --audio their audio store. Passwords, passkeys, links and credentials of hosts do not go along.",
		Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	c.AddCommand(studioOutCommand(), studioInCommand(),
		studioListCommand("patches", "Write the catalogue as a list (CSV), to be edited and brought in again", func(ctx context.Context, a *app.App, p app.Person, w io.Writer) error {
			h, err := a.Catalogue(ctx, p)
			if err != nil {
				return err
			}
			return patchlist.Write(w, h.View().Template)
		}),
		studioListCommand("activity", "Write who did what, when and from where, as a list (CSV)", func(ctx context.Context, a *app.App, p app.Person, w io.Writer) error {
			t, err := a.NotesSheet(ctx, p)
			if err != nil {
				return err
			}
			return sheet.Write(w, t)
		}), studioProductionCommand())
	return c
}

// studioListCommand writes something that a studio has to one file.
func studioListCommand(name, about string, write func(context.Context, *app.App, app.Person, io.Writer) error) *cobra.Command {
	var out string
	c := &cobra.Command{
		Use: name + " STUDIO -o FILE", Short: about, Args: named("the studio"),
		RunE: func(c *cobra.Command, args []string) error {
			return ofStudio(c.Context(), "", args[0], out, write)
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return c
}

// studioProductionCommand archives a production.
func studioProductionCommand() *cobra.Command {
	var audio, out, number string
	c := &cobra.Command{
		Use: "production STUDIO PRODUCTION -o FILE", Short: "Write a production to an archive: cues, music, templates, prints and recordings", Args: named("the studio", "the production"),
		RunE: func(c *cobra.Command, args []string) error {
			return ofStudio(c.Context(), audio, args[0], out, func(ctx context.Context, a *app.App, p app.Person, w io.Writer) error {
				id, f, err := a.ProductionNamed(ctx, p, args[1])
				if err != nil {
					return err
				}
				of, err := cueNumbered(f.View().Production, number)
				if err != nil {
					return err
				}
				x, err := a.Archive(ctx, p, id, of)
				if err != nil {
					return err
				}
				return x.Write(ctx, w)
			})
		},
	}
	c.Flags().StringVar(&number, "cue", "", "only the cue of this number")
	c.Flags().StringVar(&audio, "audio", "fanfold-audio", "where prints and recordings are kept: the folder or URL that the servers have")
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return c
}

// ofStudio writes something of a studio to a file, whole or not at all.
func ofStudio(ctx context.Context, audio, studio, out string, write func(context.Context, *app.App, app.Person, io.Writer) error) error {
	if out == "" {
		return errNoOutput
	}
	return besideServers(ctx, audio, func(ctx context.Context, a *app.App) error {
		p, err := a.StudioNamed(ctx, studio)
		if err != nil {
			return err
		}
		return writeWhole(out, func(w io.Writer) error { return write(ctx, a, p, w) })
	})
}

func studioOutCommand() *cobra.Command {
	var audio, out string
	c := &cobra.Command{
		Use: "out NAME -o FILE", Short: "Write everything that a studio has to one archive",
		Args: named("the studio"),
		RunE: func(c *cobra.Command, args []string) error {
			if out == "" {
				return errNoOutput
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
	c.Flags().StringVar(&audio, "audio", "fanfold-audio", "where prints and recordings are kept: the folder or URL that the servers have")
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
	c.Flags().StringVar(&audio, "audio", "fanfold-audio", "where prints and recordings are kept: the folder or URL that the servers have")
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
