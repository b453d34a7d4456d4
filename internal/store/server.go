package store

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Server is what a database server says of itself.
type Server struct {
	Version   string
	Variables map[string]string
	Schema    string
	Data      int64 // bytes of the tables of this schema
}

// Server asks the database server about itself.
func (s *Store) Server(ctx context.Context) (server Server, err error) {
	db := s.own.WithContext(ctx)
	if err := db.Raw("SELECT VERSION(), DATABASE(), (SELECT COALESCE(SUM(data_length + index_length), 0) FROM "+
		"information_schema.tables WHERE table_schema = DATABASE())").Row().
		Scan(&server.Version, &server.Schema, &server.Data); err != nil {
		return server, err
	}
	var rows []struct{ Name, Value string }
	err = db.Raw("SELECT LOWER(variable_name) AS name, variable_value AS value FROM " +
		"information_schema.global_variables " +
		"WHERE variable_name IN ('max_connections', 'max_allowed_packet', 'innodb_flush_log_at_trx_commit', " +
		"'innodb_buffer_pool_size', 'read_only', 'innodb_strict_mode', 'sync_binlog', 'log_bin')").Scan(&rows).Error
	server.Variables = map[string]string{}
	for _, row := range rows {
		server.Variables[row.Name] = row.Value
	}
	return server, err
}

// Number is a variable of the server as a number; 0 where it is none.
func (s *Server) Number(name string) int64 {
	n, err := strconv.ParseInt(s.Variables[name], 10, 64)
	if err != nil {
		return 0
	}
	return n
}

// Rights are what the service needs on its schema, and no more.
var Rights = []string{"SELECT", "INSERT", "UPDATE", "DELETE", "CREATE", "DROP", "ALTER", "INDEX", "REFERENCES",
	"DELETE HISTORY"}

var grantLine = regexp.MustCompile("^GRANT (.+) ON (.+) TO ")

// Granted compares the rights of the service's user with those it needs: which it lacks on its schema, and which it has
// beyond them.
func (s *Store) Granted(ctx context.Context) (lacks, beyond []string, err error) {
	rows, err := s.own.WithContext(ctx).Raw("SHOW GRANTS").Rows()
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = rows.Close() }()
	var lines []string
	for rows.Next() {
		var line string
		if err := rows.Scan(&line); err != nil {
			return nil, nil, err
		}
		lines = append(lines, line)
	}
	if err := rows.Err(); err != nil {
		return nil, nil, err
	}
	var schema string
	if err := s.own.WithContext(ctx).Raw("SELECT DATABASE()").Row().Scan(&schema); err != nil {
		return nil, nil, err
	}
	lacks, beyond = compareGrants(lines, schema)
	return lacks, beyond, nil
}

func compareGrants(lines []string, schema string) (lacks, beyond []string) {
	lacks = slices.Clone(Rights)
	for _, line := range lines {
		parts := grantLine.FindStringSubmatch(line)
		if parts == nil {
			continue
		}
		where := strings.NewReplacer("`", "", `\_`, "_", `\%`, "%").Replace(parts[2])
		here := where == schema+".*" || where == "*.*"
		all := strings.HasPrefix(parts[1], "ALL PRIVILEGES")
		if all && here {
			lacks = nil
		}
		switch {
		case all:
			beyond = append(beyond, "ALL PRIVILEGES on "+where)
			continue
		case strings.Contains(line, "WITH GRANT OPTION"):
			beyond = append(beyond, "GRANT OPTION on "+where)
		}
		for _, right := range strings.Split(parts[1], ", ") {
			needed := slices.Contains(Rights, right)
			if needed && here {
				lacks = slices.DeleteFunc(lacks, func(r string) bool { return r == right })
			}
			if right != "USAGE" && (!needed || where != schema+".*") {
				beyond = append(beyond, fmt.Sprintf("%s on %s", right, where))
			}
		}
	}
	return lacks, beyond
}
