package lindquill

import (
	"bufio"
	"encoding/json"
	"os"
	"path/filepath"
	"sync"
)

// journal keeps things in a file, one JSON document a line, the last line of a key counts.
// What put has returned from outlives a crash.
type journal[T any] struct {
	mu    sync.Mutex
	file  durable
	byKey map[string]T
	keyOf func(T) string
}

// durable is what a journal needs of a file.
type durable interface {
	Write(b []byte) (int, error)
	Sync() error
}

func openJournal[T any](name string, keyOf func(T) string) (*journal[T], error) {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return nil, err
	}
	f, err := os.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return nil, err
	}
	j := &journal[T]{file: f, byKey: map[string]T{}, keyOf: keyOf}
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 4<<20)
	for lines.Scan() {
		var x T
		if json.Unmarshal(lines.Bytes(), &x) == nil { // a line broken off by a crash was never confirmed
			j.byKey[keyOf(x)] = x
		}
	}
	return j, lines.Err()
}

func (j *journal[T]) get(key string) (T, bool) {
	j.mu.Lock()
	defer j.mu.Unlock()
	x, ok := j.byKey[key]
	return x, ok
}

// put writes down for good.
func (j *journal[T]) put(x T) error {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.write(x)
}

// change writes down what becomes of what a key has, unless it stays as it is.
func (j *journal[T]) change(key string, to func(x T, known bool) (T, bool)) error {
	j.mu.Lock()
	defer j.mu.Unlock()
	x, known := j.byKey[key]
	if x, changes := to(x, known); changes {
		return j.write(x)
	}
	return nil
}

func (j *journal[T]) write(x T) error {
	b, err := json.Marshal(x)
	if err != nil {
		return err
	}
	// A line feed first: what a crash left half-written stays a line of its own.
	if _, err := j.file.Write(append([]byte("\n"), append(b, '\n')...)); err != nil {
		return err
	}
	if err := j.file.Sync(); err != nil {
		return err
	}
	j.byKey[j.keyOf(x)] = x
	return nil
}

func (j *journal[T]) those(which func(T) bool) []T {
	j.mu.Lock()
	defer j.mu.Unlock()
	var out []T
	for _, x := range j.byKey {
		if which(x) {
			out = append(out, x)
		}
	}
	return out
}
