package main

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"fanfold/internal/certs"
)

// The files of what is made.
const (
	authorityFile    = "authority.pem"
	authorityKeyFile = "authority-key.pem"
)

func certificateCommand() *cobra.Command {
	var names []string
	var out string
	c := &cobra.Command{
		Use: "certificate --name studio.example -o FOLDER", Short: "Make a certificate for a server in a studio that has none",
		Long: "Make a certificate for a server, and the authority that signs it, for a studio that has none: 'fanfold serve\n--tls FOLDER' shows it. Hosts are given authority.pem with --ca; browsers trust it once it is added to the\nmachine's authorities. Where FOLDER has an authority already, it signs another certificate in place of the\nold one. Keep authority-key.pem to yourself.",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if out == "" {
				return wrongUse{errors.New("say with -o in which folder")}
			}
			authority, err := optionalFile(filepath.Join(out, authorityFile))
			if err != nil {
				return err
			}
			key, err := optionalFile(filepath.Join(out, authorityKeyFile))
			if err != nil {
				return err
			}
			made, err := certs.Make(names, time.Now(), authority, key)
			if err != nil {
				return wrongUse{err}
			}
			if err := os.MkdirAll(out, 0o700); err != nil {
				return err
			}
			for _, f := range []struct {
				name string
				data []byte
				mode fs.FileMode
			}{
				{authorityFile, made.Authority, 0o644}, {authorityKeyFile, made.AuthorityKey, 0o600},
				{"server.key", made.Key, 0o600}, {"server.crt", made.Cert, 0o644},
			} {
				path := filepath.Join(out, f.name)
				if err := os.WriteFile(path+".new", f.data, f.mode); err != nil {
					return err
				}
				if err := os.Rename(path+".new", path); err != nil {
					return err
				}
			}
			fmt.Fprintf(c.OutOrStdout(), "%s holds a certificate for %s, good for 13 months.\nStart the server with --tls %s, and hosts with --ca %s.\n", out, strings.Join(names, ", "), out, authorityFile)
			return nil
		},
	}
	c.Flags().StringArrayVar(&names, "name", nil, "a name or an address that the server is reached under; may be repeated")
	c.Flags().StringVarP(&out, "output", "o", "", "the folder to write to")
	return c
}

// optionalFile is what a file holds; nil where there is none.
func optionalFile(path string) ([]byte, error) {
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	return data, err
}
