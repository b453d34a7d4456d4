package store

import (
	"context"
	"database/sql"
	"fmt"

	"gorm.io/gorm"
)

// A transaction is the connection of one transaction. After a statement that failed it executes nothing more and
// cannot be committed: MariaDB may have rolled the transaction back (deadlock, failed certification, lock timeout), and
// what follows would then run by itself. One goroutine uses it.
type transaction struct {
	connection gorm.ConnPool
	failed     error // of the first statement that failed
}

// begin starts a transaction on the connection that db holds. The returned db executes its statements in it.
func begin(ctx context.Context, db *gorm.DB, statements []string) (*gorm.DB, *transaction, error) {
	if len(statements) == 0 {
		statements = []string{"START TRANSACTION"}
	}
	tx := &transaction{connection: db.Statement.ConnPool}
	within := db.Session(&gorm.Session{NewDB: true, Context: ctx})
	within.Statement.ConnPool = tx
	for _, statement := range statements {
		if err := within.Exec(statement).Error; err != nil {
			return nil, nil, err
		}
	}
	return within, tx, nil
}

// refused returns why nothing more is executed; nil where no statement has failed.
func (t *transaction) refused() error {
	if t.failed == nil {
		return nil
	}
	return fmt.Errorf("a statement after one that failed is not executed: %w", t.failed)
}

// noted keeps the error of the first statement that failed.
func (t *transaction) noted(err error) error {
	if t.failed == nil {
		t.failed = err
	}
	return err
}

// always executes a statement that is about the connection and not about the transaction, also after one that failed.
func (t *transaction) always(ctx context.Context, statement string) error {
	_, err := t.connection.ExecContext(ctx, statement)
	return err
}

// PrepareContext prepares a statement.
func (t *transaction) PrepareContext(ctx context.Context, query string) (*sql.Stmt, error) {
	if err := t.refused(); err != nil {
		return nil, err
	}
	prepared, err := t.connection.PrepareContext(ctx, query)
	return prepared, t.noted(err)
}

// ExecContext executes a statement.
func (t *transaction) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	if err := t.refused(); err != nil {
		return nil, err
	}
	result, err := t.connection.ExecContext(ctx, query, args...)
	return result, t.noted(err)
}

// QueryContext asks for rows.
func (t *transaction) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	if err := t.refused(); err != nil {
		return nil, err
	}
	rows, err := t.connection.QueryContext(ctx, query, args...)
	return rows, t.noted(err)
}

// QueryRowContext asks for one row. After a statement that failed the row holds an error: that of a context that has
// ended, as a row of no connection cannot be made.
func (t *transaction) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	if err := t.refused(); err != nil {
		ended, end := context.WithCancelCause(ctx)
		end(err)
		return t.connection.QueryRowContext(ended, query, args...)
	}
	row := t.connection.QueryRowContext(ctx, query, args...)
	_ = t.noted(row.Err())
	return row
}
