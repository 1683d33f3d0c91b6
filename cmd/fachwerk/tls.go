package main

import (
	"crypto/tls"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"time"
)

// keyPair is a certificate with its key in two files, which are read again once they change: whoever renews them need
// not restart the server.
type keyPair struct {
	certFile, keyFile string

	sync.Mutex
	looked  time.Time
	written [2]time.Time
	pair    *tls.Certificate
}

// lookEvery is how often it is looked whether the files have changed.
const lookEvery = 10 * time.Second

// get gives the certificate as it was last read well. It is an error only if it never was.
func (k *keyPair) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	k.Lock()
	defer k.Unlock()
	if k.pair != nil && time.Since(k.looked) < lookEvery {
		return k.pair, nil
	}
	k.looked = time.Now()
	err := k.read()
	if err != nil && k.pair != nil {
		slog.Error("the certificate cannot be read again; the one before is used", "error", err)
		return k.pair, nil
	}
	return k.pair, err
}

func (k *keyPair) read() error {
	var written [2]time.Time
	for i, name := range []string{k.certFile, k.keyFile} {
		info, err := os.Stat(name)
		if err != nil {
			return err
		}
		written[i] = info.ModTime()
	}
	if k.pair != nil && written == k.written {
		return nil
	}
	pair, err := tls.LoadX509KeyPair(k.certFile, k.keyFile)
	if err != nil {
		return fmt.Errorf("the certificate in %s with the key in %s: %w", k.certFile, k.keyFile, err)
	}
	k.pair, k.written = &pair, written
	return nil
}
