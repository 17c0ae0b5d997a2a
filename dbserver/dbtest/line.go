package dbtest

import (
	"bytes"
	"io"
	"net"
	"sync"
	"testing"

	"github.com/go-sql-driver/mysql"
)

// Line is a connection to the database that can be cut, held up and listened
// to, packet by packet (each has its length in three bytes and a number).
type Line struct {
	mu   sync.Mutex
	heed func(packet []byte) Fate
	open map[net.Conn]bool
	held chan struct{} // not nil while nothing goes through
	down bool
}

// Fate is what becomes of a packet.
type Fate int

// The fates.
const (
	Pass       Fate = iota // it goes on
	CutBefore              // it is lost with its connection
	CutAfter               // it arrives, and its answer is lost with the connection
	CutAllNext             // it is lost, and so is every connection from now on
)

// NewLine gives a line to the server of a data source name, and the name by
// which it is used.
func NewLine(t testing.TB, dsn string) (*Line, string) {
	t.Helper()
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	line := &Line{open: map[net.Conn]bool{}}
	to := cfg.Addr
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go line.serve(c, to)
		}
	}()
	t.Cleanup(func() {
		_ = l.Close()
		line.Hold(false)
		line.Cut()
	})
	cfg.Addr = l.Addr().String()
	return line, cfg.FormatDSN()
}

// Heed has each packet that goes to the database looked at from now on, to say
// what shall become of it.
func (l *Line) Heed(look func(packet []byte) Fate) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.heed = look
}

// Hold lets nothing through until it is called with false: the other side is
// there and does not answer.
func (l *Line) Hold(on bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	switch {
	case on && l.held == nil:
		l.held = make(chan struct{})
	case !on && l.held != nil:
		close(l.held)
		l.held = nil
	}
}

// Down refuses all connections until it is called with false.
func (l *Line) Down(on bool) {
	l.mu.Lock()
	l.down = on
	l.mu.Unlock()
	if on {
		l.Cut()
	}
}

// Cut ends all connections.
func (l *Line) Cut() {
	l.mu.Lock()
	defer l.mu.Unlock()
	for c := range l.open {
		_ = c.Close()
	}
}

func (l *Line) wait() {
	l.mu.Lock()
	held := l.held
	l.mu.Unlock()
	if held != nil {
		<-held
	}
}

func (l *Line) serve(c net.Conn, to string) {
	l.mu.Lock()
	down := l.down
	l.mu.Unlock()
	if down {
		_ = c.Close()
		return
	}
	s, err := net.Dial("tcp", to)
	if err != nil {
		_ = c.Close()
		return
	}
	l.mu.Lock()
	l.open[c], l.open[s] = true, true
	l.mu.Unlock()
	shut := func() {
		_ = c.Close()
		_ = s.Close()
		l.mu.Lock()
		delete(l.open, c)
		delete(l.open, s)
		l.mu.Unlock()
	}
	mute, muted := make(chan struct{}), make(chan struct{})
	go func() { // answers
		defer close(muted)
		defer shut()
		buf := make([]byte, 1<<16)
		for {
			n, err := s.Read(buf)
			l.wait()
			select {
			case <-mute:
				return
			default:
			}
			if n > 0 {
				if _, err := c.Write(buf[:n]); err != nil {
					return
				}
			}
			if err != nil {
				return
			}
		}
	}()
	defer shut()
	for {
		var head [4]byte
		if _, err := io.ReadFull(c, head[:]); err != nil {
			return
		}
		packet := make([]byte, int(head[0])|int(head[1])<<8|int(head[2])<<16)
		if _, err := io.ReadFull(c, packet); err != nil {
			return
		}
		l.wait()
		fate := Pass
		l.mu.Lock()
		if l.heed != nil {
			fate = l.heed(packet)
		}
		if fate == CutAllNext {
			l.down = true
		}
		l.mu.Unlock()
		switch fate {
		case CutBefore, CutAllNext:
			return
		case CutAfter:
			close(mute)
			_, _ = s.Write(append(head[:], packet...))
			<-muted // an answer came: the command was done
			return
		}
		if _, err := s.Write(append(head[:], packet...)); err != nil {
			return
		}
	}
}

// Says reports whether a packet is a command with that text in it.
func Says(packet []byte, text string) bool {
	return len(packet) > 1 && packet[0] == 3 && bytes.Contains(packet, []byte(text))
}
