package main

import (
	"crypto/sha256"
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// File is where the sums stand, in the project's folder.
const File = "generated.sum"

// patterns name the inputs and the outputs of `make generate`.
var patterns = []string{
	"api/*.yaml", "sqlc.yaml", "internal/store/migrations/*.sql", "internal/store/queries/*.sql",
	"internal/contract/contract.gen.go", "internal/httpapi/server.gen.go", "internal/store/db/*.go",
	"web/src/api/schema.d.ts",
}

// Sum lists each file below root with its SHA-256.
func Sum(root string) (string, error) {
	var b strings.Builder
	for _, p := range patterns {
		files, err := filepath.Glob(filepath.Join(root, p))
		if err != nil {
			return "", err
		}
		if len(files) == 0 {
			return "", fmt.Errorf("nothing matches %s", p)
		}
		for _, f := range files {
			text, err := os.ReadFile(f)
			if err != nil {
				return "", err
			}
			name, err := filepath.Rel(root, f)
			if err != nil {
				return "", err
			}
			fmt.Fprintf(&b, "%x  %s\n", sha256.Sum256(text), filepath.ToSlash(name))
		}
	}
	return b.String(), nil
}
