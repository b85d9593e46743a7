package main

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// process is one of the two programs.
type process struct {
	name, address string
	args          []string

	mu   sync.Mutex
	cmd  *exec.Cmd
	most int // the peak of those that are gone, in MB
}

func (p *process) url(path string) string { return "http://" + p.address + path }

// start starts the program and waits until it answers.
func (p *process) start(ctx context.Context) error {
	log, err := os.OpenFile(filepath.Join(os.Getenv("AGONAL_STATE"), p.name+".log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	defer func() { _ = log.Close() }()
	cmd := exec.Command("bin/agonal", p.args...)
	cmd.Env = append(os.Environ(), "AGONAL_ADDR=127.0.0.1:18480", "LINDQUILL_ADDR=127.0.0.1:18481", "LINDQUILL_AGONAL=http://127.0.0.1:18480", "AGONAL_RATE=100000")
	cmd.Stdout, cmd.Stderr = log, log
	if err := cmd.Start(); err != nil {
		return err
	}
	p.mu.Lock()
	p.cmd = cmd
	p.mu.Unlock()
	for range 300 {
		if r, err := http.Get(p.url("/")); err == nil {
			_ = r.Body.Close()
			if r.StatusCode < 500 {
				return nil
			}
		}
		sleep(ctx, 50*time.Millisecond)
	}
	return fmt.Errorf("%s does not answer; see its log in %s", p.name, os.Getenv("AGONAL_STATE"))
}

// kill is kill -9.
func (p *process) kill() {
	p.most = max(p.most, p.now())
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
}

func (p *process) end() {
	_ = p.cmd.Process.Signal(syscall.SIGTERM)
	_ = p.cmd.Wait()
}

func (p *process) proc(file string) string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return fmt.Sprintf("/proc/%d/%s", p.cmd.Process.Pid, file)
}

// resetPeak begins the measure of memory anew.
func (p *process) resetPeak() {
	p.most = 0
	_ = os.WriteFile(p.proc("clear_refs"), []byte("5"), 0)
}

// peak is the most memory that was held since, in MB.
func (p *process) peak() int { return max(p.most, p.now()) }

func (p *process) now() int {
	b, _ := os.ReadFile(p.proc("status"))
	for _, line := range strings.Split(string(b), "\n") {
		if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			kb, _ := strconv.Atoi(strings.Fields(rest)[0])
			return kb >> 10
		}
	}
	return 0
}
