//go:build slapd

package client

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"fachwerk/e2e/browser"
	"fachwerk/internal/desk"
)

// An empty OpenLDAP takes in what is exported, entry by entry, as it checks every schema and reference of a name.
func TestAnEmptyDirectoryTakesTheExport(t *testing.T) {
	folder := t.TempDir()
	_, house, stop, err := browser.Demo(folder, browser.NewClock(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = stop() })
	var out bytes.Buffer
	if err := house.LDIF(desk.Actor{User: "signe.halloran"}, &out); err != nil {
		t.Fatal(err)
	}
	text := out.String()
	file, data := filepath.Join(folder, "all.ldif"), filepath.Join(folder, "data")
	_, suffix, _ := strings.Cut(text, "dn: ")
	suffix, _, _ = strings.Cut(suffix, "\n")
	conf := filepath.Join(folder, "slapd.conf")
	for path, content := range map[string]string{
		file: text,
		conf: "include /etc/ldap/schema/core.schema\ninclude /etc/ldap/schema/cosine.schema\n" +
			"include /etc/ldap/schema/inetorgperson.schema\nmodulepath /usr/lib/ldap\nmoduleload back_mdb\n" +
			"database mdb\nsuffix \"" + suffix + "\"\ndirectory " + data + "\n",
	} {
		if err := os.WriteFile(path, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Mkdir(data, 0o700); err != nil {
		t.Fatal(err)
	}
	if said, err := exec.Command("slapadd", "-f", conf, "-l", file).CombinedOutput(); err != nil {
		t.Fatalf("slapadd: %v\n%s", err, said)
	}
	there, err := exec.Command("slapcat", "-f", conf).Output()
	if err != nil {
		t.Fatal(err)
	}
	sent, got := strings.Count("\n"+text, "\ndn:"), strings.Count("\n"+string(there), "\ndn:")
	if sent < 400 || got != sent {
		t.Errorf("it holds %d entries, of %d", got, sent)
	}
}
