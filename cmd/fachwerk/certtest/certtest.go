// Package certtest makes certificates for tests.
package certtest

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"math/big"
	"net"
	"os"
	"testing"
	"time"
)

// Write writes a certificate with a number, and its key.
func Write(t testing.TB, cert, key string, number int64) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	template := &x509.Certificate{
		SerialNumber: big.NewInt(number),
		NotAfter:     time.Now().Add(time.Hour),
		IPAddresses:  []net.IP{net.IPv4(127, 0, 0, 1)},
	}
	made, e1 := x509.CreateCertificate(rand.Reader, template, template, &private.PublicKey, private)
	keyed, e2 := x509.MarshalECPrivateKey(private)
	if e1 != nil || e2 != nil {
		t.Fatal(e1, e2)
	}
	for name, block := range map[string]*pem.Block{
		cert: {Type: "CERTIFICATE", Bytes: made}, key: {Type: "EC PRIVATE KEY", Bytes: keyed},
	} {
		if err := os.WriteFile(name, pem.EncodeToMemory(block), 0o600); err != nil {
			t.Fatal(err)
		}
	}
}
