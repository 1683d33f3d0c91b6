package main

import (
	"crypto/x509"
	"os"
	"path/filepath"
	"testing"
	"time"

	"fachwerk/cmd/fachwerk/certtest"
)

// A renewed certificate is taken over; one that cannot be read leaves the one before in use; within a moment, the files
// are looked at once.
func TestACertificateIsRenewed(t *testing.T) {
	folder := t.TempDir()
	k := &keyPair{certFile: filepath.Join(folder, "cert.pem"), keyFile: filepath.Join(folder, "key.pem")}
	if _, err := k.get(nil); err == nil {
		t.Fatal("a certificate that is not there is got")
	}
	k.looked = time.Time{}
	serial := func(want int64, why string) {
		t.Helper()
		pair, err := k.get(nil)
		if err != nil {
			t.Fatal(err)
		}
		if c, err := x509.ParseCertificate(pair.Certificate[0]); err != nil || c.SerialNumber.Int64() != want {
			t.Errorf("%s: certificate %v, want %d", why, c.SerialNumber, want)
		}
	}
	certtest.Write(t, k.certFile, k.keyFile, 1)
	serial(1, "the first")
	certtest.Write(t, k.certFile, k.keyFile, 2)
	later := time.Now().Add(time.Hour)
	if err := os.Chtimes(k.certFile, later, later); err != nil {
		t.Fatal(err)
	}
	serial(1, "looked at a moment ago")
	k.looked = time.Time{}
	serial(2, "renewed")
	if err := os.WriteFile(k.certFile, []byte("half a"), 0o600); err != nil {
		t.Fatal(err)
	}
	k.looked = time.Time{}
	serial(2, "broken")
}
