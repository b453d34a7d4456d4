package mariadb

import (
	"context"
	"database/sql"
	"fmt"
	"regexp"
)

var plainName = regexp.MustCompile(`^[a-z][a-z0-9_]{0,50}$`)

// CreateSchema makes a schema where it is not there yet.
func (s *Server) CreateSchema(ctx context.Context, name string) error {
	return s.execute(ctx, "CREATE DATABASE IF NOT EXISTS %s CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci", name)
}

// DropSchema removes a schema and all in it.
func (s *Server) DropSchema(ctx context.Context, name string) error {
	return s.execute(ctx, "DROP DATABASE IF EXISTS %s", name)
}

func (s *Server) execute(ctx context.Context, statement, name string) error {
	if !plainName.MatchString(name) {
		return fmt.Errorf("%q is not a name for a schema", name)
	}
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	_, err = db.ExecContext(ctx, fmt.Sprintf(statement, name))
	return err
}
