// Package dbtest gives tests a real MariaDB, and each test a database of its
// own on it.
package dbtest

import (
	"context"
	"crypto/rand"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/go-sql-driver/mysql"

	"blendseam/dbserver"
)

// Env names the variable that points to a server to use; without it, Main
// starts one for the package's tests.
const Env = "BLENDSEAM_TEST_DSN"

var server string

// Main runs a package's tests with a server at hand. Call it from TestMain.
func Main(m *testing.M) {
	os.Exit(run(m))
}

func run(m *testing.M) int {
	if server = os.Getenv(Env); server == "" {
		dir, err := os.MkdirTemp("", "seamtest")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(dir)
		s, err := dbserver.Start(context.Background(), dir)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer s.Stop()
		server = s.DSN("")
	}
	return m.Run()
}

// DSN is the data source name of a new database for one test.
func DSN(t testing.TB) string {
	t.Helper()
	cfg, err := mysql.ParseDSN(server)
	if err != nil {
		t.Fatal(err)
	}
	cfg.DBName = "test_" + strings.ToLower(rand.Text())
	return cfg.FormatDSN()
}
