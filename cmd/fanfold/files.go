package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"fanfold/internal/core/template"
	"fanfold/internal/format/templatefile"
)

func readTemplate(path string) (*template.Template, error) {
	return readTemplateWithin(context.Background(), path)
}

func readTemplateWithin(ctx context.Context, path string) (*template.Template, error) {
	file, err := os.Open(path)
	if err != nil {
		return nil, openError(err)
	}
	defer file.Close()
	t, err := templatefile.ReadWithin(ctx, file)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return t, nil
}

func openError(err error) error {
	if errors.Is(err, fs.ErrNotExist) {
		return wrongUse{err}
	}
	return err
}

func writeTemplate(path string, t *template.Template) error {
	var b bytes.Buffer
	if err := templatefile.Write(&b, t); err != nil {
		return err
	}
	return writeFile(path, b.Bytes())
}

// writeFile writes a file whole or not at all: beside its place first, then
// moved there.
func writeFile(path string, data []byte) error {
	temp, err := os.CreateTemp(filepath.Dir(path), ".fanfold-*")
	if err != nil {
		return fmt.Errorf("write %s: %w", path, err)
	}
	defer os.Remove(temp.Name()) // gone already when all went well
	_, err = temp.Write(data)
	if err := errors.Join(err, temp.Chmod(0o644), temp.Close()); err != nil {
		return fmt.Errorf("write %s: %w", path, err)
	}
	if err := os.Rename(temp.Name(), path); err != nil {
		return fmt.Errorf("write %s: %w", path, err)
	}
	return nil
}
