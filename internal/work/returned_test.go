package work_test

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/store"
	"fachwerk/internal/work"
)

const returned = `From: MAILER-DAEMON@mail.example
To: access@harbour.example
Subject: Undelivered Mail Returned to Sender
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status; boundary="b1"

--b1
Content-Type: text/plain

I'm sorry to have to inform you.

--b1
Content-Type: message/delivery-status

Reporting-MTA: dns; mail.example
Arrival-Date: Mon, 23 Nov 2026 09:14:00 +0000

Final-Recipient: rfc822; %s
Action: %s
Status: 5.1.1
Diagnostic-Code: smtp; 550 5.1.1 no such
 mailbox here

--b1
Content-Type: message/rfc822

Received: by mail.example
Message-ID: <%s@harbour.example>
Subject: An invitation

The letter.
--b1--
`

// A letter that comes back later is told as one that was refused at once; not by a message that was made up, that
// speaks of a delay, or of a letter that never went.
func TestALetterComesBack(t *testing.T) {
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	at := time.Date(2026, 11, 23, 9, 14, 0, 0, time.UTC)
	for _, l := range []store.Letter{
		{Written: at, To: "Ada@harbour.example", State: store.LetterSent},
		{Written: at, To: "bo@harbour.example", State: store.LetterWaits},
	} {
		if err := s.Write(l); err != nil {
			t.Fatal(err)
		}
	}
	id := func(letter int, at time.Time) string { return fmt.Sprintf("%d.%d", letter, at.Unix()) }
	for _, c := range []struct {
		about, to, action, letter string
		want                      int
	}{
		{"a delay", "ada@harbour.example", "delayed", id(1, at), 0},
		{"another address", "bo@harbour.example", "failed", id(1, at), 0},
		{"a guess", "ada@harbour.example", "failed", id(1, at.Add(time.Second)), 0},
		{"one that waits", "bo@harbour.example", "failed", id(2, at), 0},
		{"none", "ada@harbour.example", "failed", id(9, at), 0},
		{"another program's", "ada@harbour.example", "failed", "something", 0},
		{"the letter", "ada@harbour.example", "failed", id(1, at), 1},
	} {
		got, err := work.Returned(s, strings.NewReader(fmt.Sprintf(returned, c.to, c.action, c.letter)))
		if err != nil || got != c.want {
			t.Errorf("of %s: letter %d %v, want %d", c.about, got, err, c.want)
		}
	}
	l, err := s.Letter(1)
	if err != nil || l.State != store.LetterReturned || l.Trouble != "550 5.1.1 no such mailbox here" {
		t.Errorf("the letter is %s: %q %v", l.State, l.Trouble, err)
	}
	for _, text := range []string{"", "no headers", "Subject: hello\n\nHello.\n", returned[:500]} {
		if _, err := work.Returned(s, strings.NewReader(text)); err == nil {
			t.Errorf("%.20q is taken for a report", text)
		}
	}
}
