package main

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What the log file does not take is not lost, and the service knows that it is so; once it takes lines again, or was
// turned over, they go there.
func TestALogFileThatCannotBeWrittenIsNotSilent(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "away")
	var elsewhere bytes.Buffer
	log := &logFile{path: filepath.Join(folder, "latch.log"), instead: &elsewhere}
	write := func(line string) {
		_, err := log.Write([]byte(line))
		require.NoError(t, err)
	}
	write("one\n")
	assert.Error(t, log.failed())
	assert.Equal(t, "one\n", elsewhere.String())
	require.NoError(t, os.Mkdir(folder, 0o700))
	assert.NoError(t, log.failed())
	write("two\n")
	require.NoError(t, os.Rename(log.path, log.path+".1"))
	write("three\n")
	kept, err := os.ReadFile(log.path)
	require.NoError(t, err)
	assert.Equal(t, "three\n", string(kept))
	kept, err = os.ReadFile(log.path + ".1")
	require.NoError(t, err)
	assert.Equal(t, "two\n", string(kept))
	full := &logFile{path: "/dev/full", instead: &elsewhere}
	_, err = full.Write([]byte("four\n"))
	require.NoError(t, err)
	assert.Contains(t, elsewhere.String(), "four")
	assert.Error(t, full.failed())
}
