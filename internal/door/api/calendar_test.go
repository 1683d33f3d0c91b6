package api_test

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/desk"
)

// Whoever has the address of somebody's calendar reads what is due for that person, until it is withdrawn.
func TestACalendar(t *testing.T) {
	url, d := serve(t)
	mireille, signe := desk.Actor{User: "mireille.aster"}, desk.Actor{User: "signe.halloran"}
	read := func(secret string) (int, string) {
		t.Helper()
		status, v, header := newBrowser(t, url).send("GET", "/api/calendar/"+secret, nil)
		if status == http.StatusOK && header.Get("Content-Type") != "text/calendar; charset=utf-8" {
			t.Errorf("it is %s", header.Get("Content-Type"))
		}
		text, _ := v["text"].(string)
		return status, strings.ReplaceAll(text, "\r\n ", "")
	}
	make := func(who desk.Actor) string {
		t.Helper()
		secret, err := d.MakeCalendar(who)
		if err != nil {
			t.Fatal(err)
		}
		return secret
	}
	hers, his := make(mireille), make(signe)
	status, text := read(hers)
	due := day.AddDate(0, 0, 16).UTC().Format("20060102T150405Z")
	if status != http.StatusOK || strings.Count(text, "BEGIN:VEVENT") != 1 || !strings.Contains(text, "DTSTART:"+due) ||
		!strings.Contains(text, "SUMMARY:Due: Review of gate clerks in North Harbour") {
		t.Errorf("%d %s", status, text)
	}
	if _, text := read(his); !strings.Contains(text, "SUMMARY:Opens: Idle at Gangway") ||
		!strings.Contains(text, "DTSTART:"+time.Date(2026, 12, 19, 8, 0, 0, 0, time.UTC).Format("20060102T150405Z")) {
		t.Errorf("the calendar of whose series it is: %s", text)
	}
	again := make(mireille)
	if status, _ := read(hers); status != http.StatusNotFound {
		t.Errorf("the address before is still good: %d", status)
	}
	if there, err := d.HasCalendar(mireille); err != nil || !there {
		t.Errorf("there is an address: %v %v", there, err)
	}
	if err := d.EndCalendar(mireille); err != nil {
		t.Fatal(err)
	}
	for _, secret := range []string{again, "none", ""} {
		if status, text := read(secret); status == http.StatusOK && strings.Contains(text, "VCALENDAR") {
			t.Errorf("withdrawn, %q is good: %d", secret, status)
		}
	}
	if status, _ := read(his); status != http.StatusOK {
		t.Errorf("another's address went too: %d", status)
	}
}
