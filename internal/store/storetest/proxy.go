package storetest

import (
	"io"
	"net"
	"net/url"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
)

// Switch stands between an application and its database, and can take it away:
// open connections break off and new ones are refused.
type Switch struct {
	URL  string // of the database, through the switch
	to   string
	addr string
	mu   sync.Mutex
	l    net.Listener
	open []net.Conn
	held sync.RWMutex // held for writing while nothing passes
}

// NewSwitch puts a switch before the database of a URL.
func NewSwitch(t testing.TB, database string) *Switch {
	t.Helper()
	u, err := url.Parse(database)
	require.NoError(t, err)
	s := &Switch{to: u.Host, addr: "127.0.0.1:0"}
	require.NoError(t, s.On())
	u.Host = s.addr
	s.URL = u.String()
	t.Cleanup(s.Off)
	return s
}

// On lets connections through.
func (s *Switch) On() error {
	l, err := net.Listen("tcp", s.addr)
	if err != nil {
		return err
	}
	s.mu.Lock()
	s.l, s.addr = l, l.Addr().String()
	s.mu.Unlock()
	go s.accept(l)
	return nil
}

func (s *Switch) accept(l net.Listener) {
	for {
		c, err := l.Accept()
		if err != nil {
			return
		}
		d, err := net.Dial("tcp", s.to)
		if err != nil {
			_ = c.Close()
			continue
		}
		s.mu.Lock()
		s.open = append(s.open, c, d)
		s.mu.Unlock()
		pipe := func(a, b net.Conn) {
			_, _ = io.Copy(a, passing{b, &s.held})
			_ = a.Close()
		}
		go pipe(c, d)
		go pipe(d, c)
	}
}

// Freeze lets nothing pass, with every connection standing, until what it returns is
// called: as if the database were stopped.
func (s *Switch) Freeze() (thaw func()) {
	s.held.Lock()
	return s.held.Unlock
}

// passing reads what may pass.
type passing struct {
	net.Conn
	held *sync.RWMutex
}

func (p passing) Read(b []byte) (int, error) {
	n, err := p.Conn.Read(b)
	p.held.RLock()
	defer p.held.RUnlock()
	return n, err
}

// Off breaks every connection off and refuses new ones.
func (s *Switch) Off() {
	s.mu.Lock()
	defer s.mu.Unlock()
	_ = s.l.Close()
	for _, c := range s.open {
		_ = c.Close()
	}
	s.open = nil
}
