package post

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/mail"
	"net/url"
	"strconv"
	"time"

	gomail "github.com/wneessen/go-mail"
)

// Mail is a letter in its form, on its way to somebody.
type Mail struct {
	ID         string // its Message-ID (RFC 5322, §3.6.4), the same however often it is tried
	To, ToName string
	Subject    string
	Plain      string
	Page       string // the same as HTML; empty if there is none
}

// Sender hands letters over. What it gives for one that is not taken is a [*Refused] if that will not change.
type Sender interface {
	Send(ctx context.Context, m Mail) error
}

// Refused is what a server says to a letter that it will not take, whenever it is tried.
type Refused struct {
	Address bool // it is about the address that the letter goes to
	Err     error
}

func (r *Refused) Error() string { return r.Err.Error() }
func (r *Refused) Unwrap() error { return r.Err }

// SMTP sends letters by a server for mail (RFC 5321).
type SMTP struct {
	host     string
	port     int
	tls      bool // from the first byte (RFC 8314, §3.3); otherwise by STARTTLS (RFC 3207)
	plain    bool // without TLS at all
	user     string
	password string
	from     mail.Address
}

// sendingMost bounds how long a server may take over one letter.
const sendingMost = 30 * time.Second

// NewSMTP reads the address of a server, smtp://user@host:587 for STARTTLS, which must succeed, or
// smtps://user@host:465 for TLS; smtp://host:25?tls=none only for one that needs none, as beside this one. From is the
// address of the sender, with or without a name.
func NewSMTP(address, password, from string) (*SMTP, error) {
	u, err := url.Parse(address)
	if err != nil || u.Hostname() == "" || u.Scheme != "smtp" && u.Scheme != "smtps" || u.Path != "" && u.Path != "/" {
		return nil, errors.New("expected an address like smtp://user@mail.example:587 or smtps://user@mail.example:465")
	}
	if _, given := u.User.Password(); given {
		return nil, errors.New("a password is not written into the address: give it by FACHWERK_SMTP_PASSWORD or " +
			"FACHWERK_SMTP_PASSWORD_FILE")
	}
	s := &SMTP{host: u.Hostname(), port: 587, tls: u.Scheme == "smtps", user: u.User.Username(), password: password}
	if s.tls {
		s.port = 465
	}
	if text := u.Port(); text != "" {
		s.port, _ = strconv.Atoi(text)
	}
	switch way := u.Query().Get("tls"); {
	case way == "none" && !s.tls && s.user == "":
		s.plain = true
	case way != "":
		return nil, errors.New("tls=none goes with smtp:// and without a user: a password is never sent in the clear")
	}
	at, err := mail.ParseAddress(from)
	if err != nil {
		return nil, fmt.Errorf("the sender %q is no e-mail address", from)
	}
	s.from = *at
	return s, nil
}

// Send hands a letter over to the server.
func (s *SMTP) Send(ctx context.Context, m Mail) error {
	msg := gomail.NewMsg()
	name := s.from.Name
	if name == "" {
		name = "Fachwerk"
	}
	if err := msg.FromFormat(name, s.from.Address); err != nil {
		return err
	}
	if err := msg.AddToFormat(m.ToName, m.To); err != nil {
		return &Refused{true, err}
	}
	msg.Subject(m.Subject)
	msg.SetMessageIDWithValue(m.ID)
	msg.SetDate()
	msg.SetGenHeader("Auto-Submitted", "auto-generated") // nobody answers by themselves (RFC 3834, §5)
	msg.SetBodyString(gomail.TypeTextPlain, m.Plain)
	if m.Page != "" {
		msg.AddAlternativeString(gomail.TypeTextHTML, m.Page)
	}
	options := []gomail.Option{gomail.WithPort(s.port), gomail.WithTimeout(sendingMost)}
	switch {
	case s.tls:
		options = append(options, gomail.WithSSL())
	case s.plain:
		options = append(options, gomail.WithTLSPolicy(gomail.NoTLS))
	default:
		options = append(options, gomail.WithTLSPolicy(gomail.TLSMandatory))
	}
	if s.user != "" {
		options = append(options, gomail.WithSMTPAuth(gomail.SMTPAuthAutoDiscover), gomail.WithUsername(s.user),
			gomail.WithPassword(s.password))
	}
	client, err := gomail.NewClient(s.host, options...)
	if err != nil {
		return err
	}
	ctx, stop := context.WithTimeout(ctx, sendingMost)
	defer stop()
	err = client.DialAndSendWithContext(ctx, msg)
	var sent *gomail.SendError
	if errors.As(err, &sent) && !sent.IsTemp() && sent.ErrorCode() >= 500 {
		return &Refused{sent.Reason == gomail.ErrSMTPRcptTo, err}
	}
	return err
}

// Address is where the server is, for the log.
func (s *SMTP) Address() string { return net.JoinHostPort(s.host, strconv.Itoa(s.port)) }
