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
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a running MariaDB.
type Server struct {
	Port     int
	password string
	dir      string
	scratch  string // socket and start-up script
	lock     *os.File

	mu       sync.Mutex
	cmd      *exec.Cmd
	done     chan struct{} // closed when the process has ended
	stopping bool
	watch    sync.WaitGroup
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
	s := &Server{password: rand.Text(), dir: dir}
	if s.lock, err = os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(s.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		s.lock.Close()
		return nil, ErrBusy
	}
	if err = s.prepare(ctx); err == nil {
		err = s.start(ctx, daemon)
	}
	if err != nil {
		s.Stop()
		return nil, err
	}
	return s, nil
}

func (s *Server) data() string { return filepath.Join(s.dir, "data") }

// prepare sets up the data folder, and clears what a start before this one
// left that was killed: its server is waited for, which still writes.
func (s *Server) prepare(ctx context.Context) error {
	if err := outlive(ctx, filepath.Join(s.dir, "db.pid"), s.data()); err != nil {
		return err
	}
	note := filepath.Join(s.dir, "scratch")
	if old, err := os.ReadFile(note); err == nil && strings.HasPrefix(filepath.Base(string(old)), scratchName) {
		_ = os.RemoveAll(string(old))
	}
	if err := install(ctx, s.dir, s.data()); err != nil {
		return err
	}
	var err error
	// A socket's path has room for about a hundred bytes, so it lies in /tmp.
	if s.scratch, err = os.MkdirTemp("", scratchName); err != nil {
		return err
	}
	if err := os.WriteFile(note, []byte(s.scratch), 0o600); err != nil {
		return err
	}
	s.Port, err = freePort()
	return err
}

// scratchName begins the names of folders for sockets.
const scratchName = "seamdb"

// outlive waits for the server of a start that was killed. It was told to end
// when its parent died, and needs a moment.
func outlive(ctx context.Context, pidFile, data string) error {
	text, err := os.ReadFile(pidFile)
	if err != nil {
		return nil
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	if err != nil || pid < 2 {
		return nil
	}
	ours := func() bool {
		line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
		return err == nil && strings.Contains(string(line), "--datadir="+data+"\x00")
	}
	for n := 0; ours(); n++ {
		if n == 0 {
			_ = syscall.Kill(pid, syscall.SIGTERM)
		}
		if n == 600 { // half a minute: it hangs
			_ = syscall.Kill(pid, syscall.SIGKILL)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
	}
	return nil
}

// start starts the process on the port that was chosen.
func (s *Server) start(ctx context.Context, daemon string) error {
	script := filepath.Join(s.scratch, "init.sql")
	sql := fmt.Sprintf("CREATE OR REPLACE USER '%[1]s'@'localhost' IDENTIFIED BY '%[2]s';\nCREATE OR REPLACE USER '%[1]s'@'127.0.0.1' IDENTIFIED BY '%[2]s';\n"+
		"GRANT ALL ON *.* TO '%[1]s'@'localhost';\nGRANT ALL ON *.* TO '%[1]s'@'127.0.0.1';\n", user, s.password)
	if err := os.WriteFile(script, []byte(sql), 0o600); err != nil {
		return err
	}
	logFile, err := os.OpenFile(filepath.Join(s.dir, "mariadb.log"), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	defer logFile.Close()
	if info, err := logFile.Stat(); err == nil && info.Size() > 8<<20 {
		_ = logFile.Truncate(0)
	}
	tmp, err := tmpDir(s.dir)
	if err != nil {
		return err
	}
	args := []string{
		"--no-defaults", "--datadir=" + s.data(), "--tmpdir=" + tmp, "--socket=" + filepath.Join(s.scratch, "db.sock"), "--pid-file=" + filepath.Join(s.dir, "db.pid"),
		"--bind-address=127.0.0.1", fmt.Sprintf("--port=%d", s.Port), "--init-file=" + script, "--skip-name-resolve",
		"--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin", "--innodb-buffer-pool-size=128M", "--max-allowed-packet=64M",
		"--innodb-flush-log-at-trx-commit=1",
	}
	if os.Geteuid() == 0 {
		args = append(args, "--user=root")
	}
	cmd, done := exec.Command(daemon, args...), make(chan struct{})
	cmd.Stdout, cmd.Stderr = logFile, logFile
	// Its own process group keeps Ctrl-C from ending it before those who still
	// write; the parent's death ends it all the same.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	started := make(chan error)
	go func() {
		// Pdeathsig follows the thread that starts the child, so it is kept.
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		err := cmd.Start()
		started <- err
		if err == nil {
			_ = cmd.Wait()
		}
		close(done)
	}()
	if err := <-started; err != nil {
		return err
	}
	s.mu.Lock()
	s.cmd, s.done = cmd, done
	stopping := s.stopping
	s.mu.Unlock()
	if stopping {
		_ = cmd.Process.Signal(syscall.SIGTERM)
	}
	if err := s.await(ctx, done); err != nil {
		tail, _ := os.ReadFile(logFile.Name())
		return fmt.Errorf("MariaDB did not start: %w\n%s", err, lastLines(string(tail), 8))
	}
	if err := os.Remove(script); err != nil {
		return err
	}
	// Whoever owns the folder can use the server while it runs.
	return os.WriteFile(filepath.Join(s.dir, addressFile), []byte(s.DSN("")), 0o600)
}

// addressFile holds the data source name of a server that runs on the folder.
const addressFile = "address"

// Running gives the data source name of the server that another process runs
// on a folder, with the database of a name; not ok when there is none.
func Running(dir, database string) (dsn string, ok bool) {
	lock, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_RDWR, 0o600)
	if err != nil {
		return "", false
	}
	defer lock.Close()
	if syscall.Flock(int(lock.Fd()), syscall.LOCK_SH|syscall.LOCK_NB) == nil {
		return "", false // nobody holds it
	}
	text, err := os.ReadFile(filepath.Join(dir, addressFile))
	if err != nil {
		return "", false
	}
	cfg, err := mysql.ParseDSN(string(text))
	if err != nil {
		return "", false
	}
	cfg.DBName = database
	return cfg.FormatDSN(), true
}

// Watch starts the server again whenever it ends by itself, until Stop. Told
// hears what happens.
func (s *Server) Watch(told func(text string)) {
	s.watch.Go(func() {
		wait := 200 * time.Millisecond
		for {
			s.mu.Lock()
			done := s.done
			s.mu.Unlock()
			<-done
			s.mu.Lock()
			stopping := s.stopping
			s.mu.Unlock()
			if stopping {
				return
			}
			told("MariaDB has ended; it is started again")
			daemon, err := program("mariadbd")
			if err == nil {
				ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
				err = s.start(ctx, daemon)
				cancel()
			}
			if err == nil {
				told("MariaDB is back")
				wait = 200 * time.Millisecond
				continue
			}
			told(fmt.Sprintf("MariaDB could not be started again, the next try follows in %v: %v", wait, err))
			time.Sleep(wait)
			wait = min(2*wait, 10*time.Second)
		}
	})
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
	// Two that are set up at once trip over each other's temporary tables.
	tmp, err := tmpDir(dir)
	if err != nil {
		return err
	}
	cmd := exec.CommandContext(ctx, setup, args...)
	cmd.Env = append(os.Environ(), "TMPDIR="+tmp)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("setting up MariaDB's data folder: %w\n%s", err, lastLines(string(out), 8))
	}
	return os.Rename(fresh, data)
}

// tmpDir is an empty folder for temporary tables.
func tmpDir(dir string) (string, error) {
	tmp := filepath.Join(dir, "tmp")
	if err := os.RemoveAll(tmp); err != nil {
		return "", err
	}
	return tmp, os.Mkdir(tmp, 0o700)
}

func (s *Server) await(ctx context.Context, done chan struct{}) error {
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
		case <-done:
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
func (s *Server) PID() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.cmd.Process.Pid
}

// Stop ends the server and waits until it has. It may be called twice.
func (s *Server) Stop() {
	s.mu.Lock()
	s.stopping = true
	cmd, done := s.cmd, s.done
	s.mu.Unlock()
	if cmd != nil && cmd.Process != nil {
		_ = cmd.Process.Signal(syscall.SIGTERM)
		select {
		case <-done:
		case <-time.After(20 * time.Second):
			_ = cmd.Process.Kill()
			<-done
		}
	}
	s.watch.Wait()
	if s.scratch != "" {
		_ = os.RemoveAll(s.scratch)
		_ = os.Remove(filepath.Join(s.dir, addressFile))
	}
	_ = s.lock.Close()
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func lastLines(s string, n int) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	return strings.Join(lines[max(len(lines)-n, 0):], "\n")
}
