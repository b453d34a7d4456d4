package demo

import (
	"bytes"
	"encoding/csv"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	files "loyallatch.example/latch/demo"
	"loyallatch.example/latch/internal/core/day"
)

// StartersFile is the name of the list of seasonal starters that the demo lays ready.
const StartersFile = "starters.csv"

// Starters is the list of those who start next week, as the agencies have sent it, with its mistakes.
func Starters(now time.Time) ([]byte, error) {
	text, err := files.FS.ReadFile(StartersFile)
	if err != nil {
		return nil, err
	}
	lines, err := csv.NewReader(bytes.NewReader(text)).ReadAll()
	if err != nil {
		return nil, err
	}
	for _, line := range lines {
		for i, cell := range line {
			if days, err := strconv.Atoi(cell); err == nil && strings.HasPrefix(cell, "+") {
				line[i] = (day.Of(now) + day.Date(days)).String()
			}
		}
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.UseCRLF = true
	if err := w.WriteAll(lines); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// LayOut writes the list of starters into a folder.
func LayOut(folder string, now time.Time) error {
	text, err := Starters(now)
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, StartersFile), text, 0o600)
}
