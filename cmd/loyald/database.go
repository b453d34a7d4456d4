package main

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
)

// The database's address holds its password. It is read from a file, from a credential that systemd hands over, or from
// the environment; never from the command line, which anybody on the machine may list.

// credentials is the folder of the credentials that systemd hands a service (systemd.exec(5), CREDENTIALS); empty where
// it hands none.
func credentials() string { return os.Getenv("CREDENTIALS_DIRECTORY") }

// dsnCredential is the name of the credential that holds the database's address.
const dsnCredential = "latch.dsn"

func dsnFlag(c *cobra.Command, f *flags) {
	c.Flags().StringVar(&f.dsnFile, "dsn-file", "",
		"file that holds the database's address, as the Go MySQL driver writes it; where left out LOYAL_DSN_FILE "+
			"names "+
			"it, or it is the systemd credential "+dsnCredential+", or LOYAL_DSN holds the address itself")
}

// needDSN reads the database's address from where it stands.
func needDSN(f *flags) error {
	path := cmp.Or(f.dsnFile, os.Getenv("LOYAL_DSN_FILE"))
	if folder := credentials(); path == "" && folder != "" {
		if _, err := os.Stat(filepath.Join(folder, dsnCredential)); !errors.Is(err, fs.ErrNotExist) {
			path = filepath.Join(folder, dsnCredential)
		}
	}
	if path == "" {
		if f.dsn = os.Getenv("LOYAL_DSN"); f.dsn == "" {
			return errors.New("say where the database is: name a file with --dsn-file, or set LOYAL_DSN_FILE or " +
				"LOYAL_DSN; " +
				"an address is such as latch:secret@tcp(127.0.0.1:3306)/latch")
		}
		return nil
	}
	f.dsnFrom = path
	text, err := os.ReadFile(path)
	if err != nil {
		return fmt.Errorf("the database's address cannot be read: %w", err)
	}
	if info, err := os.Stat(path); err == nil && info.Mode().IsRegular() && info.Mode().Perm()&0o007 != 0 {
		slog.Warn("everybody on this machine may read the file with the database's address; run: chmod o= "+path,
			"file", path)
	}
	if f.dsn = strings.TrimSpace(string(text)); f.dsn == "" {
		return fmt.Errorf("the file %s holds no address", path)
	}
	return nil
}

// mailCredential is the name of the credential that holds the password at the mail server.
const mailCredential = "latch.mail-password"

// readMailPassword reads the password at the mail server from where it stands.
func (f *flags) readMailPassword() error {
	path := f.mailPassword
	if folder := credentials(); path == "" && folder != "" {
		if _, err := os.Stat(filepath.Join(folder, mailCredential)); err == nil {
			path = filepath.Join(folder, mailCredential)
		}
	}
	if path == "" {
		f.mail.Password = os.Getenv("LOYAL_MAIL_PASSWORD") // as it was read before there was a file for it
		return nil
	}
	text, err := os.ReadFile(path)
	if err != nil {
		return fmt.Errorf("the password at the mail server cannot be read: %w", err)
	}
	f.mail.Password = strings.TrimSpace(string(text))
	return nil
}

// keysFolder is where the key stands when nothing else is said: among the credentials that systemd hands over, where it
// is there.
func keysFolder() string {
	if folder := credentials(); folder != "" {
		if _, err := os.Stat(filepath.Join(folder, "latch.key")); err == nil {
			return folder
		}
	}
	return ".local/keys"
}
