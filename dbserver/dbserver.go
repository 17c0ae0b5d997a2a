// Package dbserver runs a private MariaDB on loopback: its own data folder,
// its own free port and socket, its own account with a password made anew at
// each start. It never touches a system instance.
package dbserver

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a running MariaDB.
type Server struct {
	Port     int
	password string
	cmd      *exec.Cmd
	done     chan struct{} // closed when the process has ended
	scratch  string        // socket and start-up script
	lock     *os.File
}

// ErrBusy is returned when another server works on the same data folder.
var ErrBusy = errors.New("the data folder is in use by another server")

// user is the account that the private server is used through.
const user = "blendseam"

// program finds one of MariaDB's programs, also where only root looks.
func program(name string) (string, error) {
	for _, dir := range append(filepath.SplitList(os.Getenv("PATH")), "/usr/sbin", "/usr/local/sbin") {
		path := filepath.Join(dir, name)
		if info, err := os.Stat(path); err == nil && !info.IsDir() && info.Mode()&0o111 != 0 {
			return path, nil
		}
	}
	return "", fmt.Errorf("%s is not installed; install it with: apt-get install mariadb-server", name)
}

// Start starts a server on the data folder dir, which is made and set up when
// it is not there yet. Stop ends it; it also ends when this process dies.
func Start(ctx context.Context, dir string) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	daemon, err := program("mariadbd")
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	s := &Server{password: rand.Text(), done: make(chan struct{})}
	if s.lock, err = os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(s.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		s.lock.Close()
		return nil, ErrBusy
	}
	if err := s.start(ctx, daemon, dir); err != nil {
		s.Stop()
		return nil, err
	}
	return s, nil
}

func (s *Server) start(ctx context.Context, daemon, dir string) error {
	data := filepath.Join(dir, "data")
	if err := install(ctx, dir, data); err != nil {
		return err
	}
	var err error
	// A socket's path has room for about a hundred bytes, so it lies in /tmp.
	if s.scratch, err = os.MkdirTemp("", "seamdb"); err != nil {
		return err
	}
	script := filepath.Join(s.scratch, "init.sql")
	sql := fmt.Sprintf("CREATE OR REPLACE USER '%[1]s'@'localhost' IDENTIFIED BY '%[2]s';\nCREATE OR REPLACE USER '%[1]s'@'127.0.0.1' IDENTIFIED BY '%[2]s';\n"+
		"GRANT ALL ON *.* TO '%[1]s'@'localhost';\nGRANT ALL ON *.* TO '%[1]s'@'127.0.0.1';\n", user, s.password)
	if err := os.WriteFile(script, []byte(sql), 0o600); err != nil {
		return err
	}
	if s.Port, err = freePort(); err != nil {
		return err
	}
	logFile, err := os.Create(filepath.Join(dir, "mariadb.log"))
	if err != nil {
		return err
	}
	defer logFile.Close()
	args := []string{
		"--no-defaults", "--datadir=" + data, "--socket=" + filepath.Join(s.scratch, "db.sock"), "--pid-file=" + filepath.Join(s.scratch, "db.pid"),
		"--bind-address=127.0.0.1", fmt.Sprintf("--port=%d", s.Port), "--init-file=" + script, "--skip-name-resolve",
		"--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin", "--innodb-buffer-pool-size=128M", "--max-allowed-packet=64M",
	}
	if os.Geteuid() == 0 {
		args = append(args, "--user=root")
	}
	s.cmd = exec.Command(daemon, args...)
	s.cmd.Stdout, s.cmd.Stderr = logFile, logFile
	// Its own process group keeps Ctrl-C from ending it before those who still
	// write; the parent's death ends it all the same.
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	started := make(chan error)
	go func() {
		// Pdeathsig follows the thread that starts the child, so it is kept.
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		err := s.cmd.Start()
		started <- err
		if err == nil {
			_ = s.cmd.Wait()
		}
		close(s.done)
	}()
	if err := <-started; err != nil {
		return err
	}
	if err := s.await(ctx); err != nil {
		tail, _ := os.ReadFile(logFile.Name())
		return fmt.Errorf("MariaDB did not start: %w\n%s", err, lastLines(string(tail), 8))
	}
	return os.Remove(script)
}

// install sets up an empty data folder, in one step for those who look.
func install(ctx context.Context, dir, data string) error {
	if _, err := os.Stat(data); err == nil {
		return nil
	}
	setup, err := program("mariadb-install-db")
	if err != nil {
		return err
	}
	fresh := filepath.Join(dir, "data.new")
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	args := []string{"--no-defaults", "--datadir=" + fresh, "--auth-root-authentication-method=socket", "--skip-test-db"}
	if os.Geteuid() == 0 {
		args = append(args, "--user=root")
	}
	if out, err := exec.CommandContext(ctx, setup, args...).CombinedOutput(); err != nil {
		return fmt.Errorf("setting up MariaDB's data folder: %w\n%s", err, lastLines(string(out), 8))
	}
	return os.Rename(fresh, data)
}

func (s *Server) await(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	connector, err := mysql.NewConnector(s.config(""))
	if err != nil {
		return err
	}
	for {
		conn, err := connector.Connect(ctx)
		if err == nil {
			return conn.Close()
		}
		select {
		case <-s.done:
			return errors.New("it ended at once")
		case <-ctx.Done():
			return err
		case <-time.After(30 * time.Millisecond):
		}
	}
}

func (s *Server) config(database string) *mysql.Config {
	c := mysql.NewConfig()
	c.Net, c.Addr = "tcp", fmt.Sprintf("127.0.0.1:%d", s.Port)
	c.User, c.Passwd, c.DBName = user, s.password, database
	c.Logger = log{}
	return c
}

// log swallows the driver's notes on connections refused while MariaDB starts.
type log struct{}

func (log) Print(...any) {}

// DSN is the data source name of a database on the server.
func (s *Server) DSN(database string) string { return s.config(database).FormatDSN() }

// PID is the server's process.
func (s *Server) PID() int { return s.cmd.Process.Pid }

// Stop ends the server and waits until it has. It may be called twice.
func (s *Server) Stop() {
	if s.cmd != nil && s.cmd.Process != nil {
		_ = s.cmd.Process.Signal(syscall.SIGTERM)
		select {
		case <-s.done:
		case <-time.After(20 * time.Second):
			_ = s.cmd.Process.Kill()
			<-s.done
		}
	}
	if s.scratch != "" {
		_ = os.RemoveAll(s.scratch)
	}
	_ = s.lock.Close()
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func lastLines(s string, n int) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	return strings.Join(lines[max(len(lines)-n, 0):], "\n")
}
