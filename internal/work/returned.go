package work

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/mail"
	"net/textproto"
	"strings"

	"fachwerk/internal/store"
)

// report is what a delivery status notification says (RFC 3464, §2).
type report struct {
	letter    string // the Message-ID of the letter that it is about
	recipient string // the address that it went to
	failed    bool   // for good; otherwise it is late, or was delivered
	why       string
}

// reportMost is how large such a message may be, in bytes: servers may return the whole letter with it.
const reportMost = 10 << 20

// errNoReport tells that a message tells of no letter.
var errNoReport = errors.New("this is no delivery status notification (RFC 3464)")

// Returned takes the message by which a server for mail says that it could not deliver a letter, and notes it. It gives
// the letter's number; 0 if the message tells of none that was sent here to that address, or of a delay only.
func Returned(s *store.Store, message io.Reader) (int, error) {
	r, err := readReport(message)
	if err != nil || !r.failed {
		return 0, err
	}
	var id int
	var written int64
	if _, err := fmt.Sscanf(r.letter, "%d.%d@", &id, &written); err != nil {
		return 0, nil
	}
	l, err := s.Letter(id)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return 0, nil
	case err != nil:
		return 0, err
	case l.Written.Unix() != written || l.State != store.LetterSent || !strings.EqualFold(l.To, r.recipient):
		return 0, nil // whoever makes such a message up knows none of it
	}
	l.State, l.Trouble = store.LetterReturned, r.why
	return id, s.SettleLetter(l)
}

// readReport reads a delivery status notification about one recipient.
func readReport(message io.Reader) (r report, err error) {
	m, err := mail.ReadMessage(bufio.NewReader(io.LimitReader(message, reportMost)))
	if err != nil {
		return r, errNoReport
	}
	kind, params, err := mime.ParseMediaType(m.Header.Get("Content-Type"))
	if err != nil || kind != "multipart/report" {
		return r, errNoReport
	}
	told := false
	for parts := multipart.NewReader(m.Body, params["boundary"]); ; {
		part, err := parts.NextPart()
		if err == io.EOF && told {
			return r, nil
		}
		if err != nil {
			return r, errNoReport
		}
		switch kind, _, _ := mime.ParseMediaType(part.Header.Get("Content-Type")); kind {
		case "message/delivery-status":
			told = r.status(textproto.NewReader(bufio.NewReader(part)))
		case "message/rfc822", "text/rfc822-headers", "message/rfc822-headers":
			// The headers of the letter; what follows them is of no concern.
			h, _ := textproto.NewReader(bufio.NewReader(part)).ReadMIMEHeader()
			r.letter = strings.Trim(strings.TrimSpace(h.Get("Message-Id")), "<>")
		}
	}
}

// status reads the fields about the message, and those about its recipient (RFC 3464, §2.2 and §2.3).
func (r *report) status(fields *textproto.Reader) bool {
	if _, err := fields.ReadMIMEHeader(); err != nil {
		return false
	}
	h, err := fields.ReadMIMEHeader()
	if len(h) == 0 && err != nil {
		return false
	}
	value := func(name string) string { // without the kind of address or of code
		_, text, _ := strings.Cut(h.Get(name), ";")
		return strings.TrimSpace(text)
	}
	r.recipient = value("Final-Recipient")
	if original := value("Original-Recipient"); original != "" {
		r.recipient = original
	}
	r.failed = strings.EqualFold(strings.TrimSpace(h.Get("Action")), "failed")
	if r.why = value("Diagnostic-Code"); r.why == "" {
		r.why = "returned with the status " + h.Get("Status")
	}
	return true
}
