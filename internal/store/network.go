package store

import (
	"errors"
	"io"
	"net"
)

// isNetwork tells whether a connection broke off.
func isNetwork(err error) bool {
	var op *net.OpError
	return errors.As(err, &op) || errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, net.ErrClosed)
}
