package main

import (
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/netip"
	"net/url"
	"os"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/knadh/koanf/parsers/toml/v2"
	"github.com/knadh/koanf/providers/env/v2"
	"github.com/knadh/koanf/providers/file"
	"github.com/knadh/koanf/providers/posflag"
	"github.com/knadh/koanf/v2"
	"github.com/spf13/pflag"

	"fachwerk/internal/core/finding"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// settings are what serve goes by. Each is a flag, a variable of the environment and a key of a TOML file by the same
// name; a flag counts before the environment, that before the file.
type settings struct {
	DB      string `koanf:"db"`
	Follow  string `koanf:"follow"`
	Demo    bool   `koanf:"demo"`
	Addr    string `koanf:"addr"`
	URL     string `koanf:"url"`
	TLSCert string `koanf:"tls-cert"`
	TLSKey  string `koanf:"tls-key"`

	TrustedProxies []string `koanf:"trusted-proxies"`
	MetricsAddr    string   `koanf:"metrics-addr"`
	LogLevel       string   `koanf:"log-level"`
	LogFormat      string   `koanf:"log-format"`

	SMTP      string `koanf:"smtp"`
	MailFrom  string `koanf:"mail-from"`
	MailForms string `koanf:"mail-forms"`

	SecondFactor           bool   `koanf:"second-factor"`
	TimeZone               string `koanf:"time-zone"`
	InvitationDays         int    `koanf:"invitation-days"`
	FindingsIdleDays       int    `koanf:"findings-idle-days"`
	FindingsSoonDays       int    `koanf:"findings-soon-days"`
	FindingsReviewDays     int    `koanf:"findings-review-days"`
	FindingsAlikePercent   int    `koanf:"findings-alike-percent"`
	FindingsPeers          int    `koanf:"findings-peers"`
	FindingsRare           int    `koanf:"findings-rare"`
	SessionHours           int    `koanf:"session-hours"`
	SessionIdleMinutes     int    `koanf:"session-idle-minutes"`
	OIDCIssuer             string `koanf:"oidc-issuer"`
	OIDCClientID           string `koanf:"oidc-client-id"`
	OIDCName               string `koanf:"oidc-name"`
	PasswordsForOwnersOnly bool   `koanf:"passwords-for-owners-only"`
	Newcomers              string `koanf:"newcomers"`

	KeepSessionsDays int `koanf:"keep-sessions-days"`
	KeepLinksDays    int `koanf:"keep-links-days"`
	KeepLettersDays  int `koanf:"keep-letters-days"`
	KeepEvidenceDays int `koanf:"keep-evidence-days"`
	KeepUsesDays     int `koanf:"keep-uses-days"`

	secrets map[string]string
	zone    *time.Location
	proxies []netip.Prefix
	sender  *post.SMTP // nil: letters are not sent
	forms   *post.Form
	from    map[string]string // where each setting comes from, by name
}

// prefix is how the variables of the environment begin that are settings.
const prefix = "FACHWERK_"

// secrets are what is never given by flag or in the file of settings: whoever lists the processes, or keeps the file
// beside others, would read them. Each is the text of the variable FACHWERK_NAME, or that of the file which
// FACHWERK_NAME_FILE names.
var secrets = []string{"oidc-client-secret", "follow-token", "smtp-password"}

// defineSettings makes the flags of serve.
func defineSettings(f *pflag.FlagSet) {
	f.String("config", "", "a file of settings (TOML), by the names of these flags")
	f.Bool("show-config", false, "print the settings that are in force, and where each comes from; secrets are left out")

	f.String("db", "", "the database file")
	f.String("follow", "", "in place of --db: the address of a server to be a copy of, which holds no database and only "+
		"answers; the token that it shows there is in FACHWERK_FOLLOW_TOKEN, or in the file that "+
		"FACHWERK_FOLLOW_TOKEN_FILE names")
	f.Bool("demo", false, "fill an empty database with the demo organisation")
	f.String("addr", "127.0.0.1:8080", "the address to listen on; of a socket that was passed on, nothing")
	f.String("url", "", "the address as seen from outside, such as https://fachwerk.example or "+
		"https://tools.example/fachwerk; that of --addr if absent")
	f.String("tls-cert", "", "a certificate with its chain (PEM), to speak TLS; read again when it changes")
	f.String("tls-key", "", "the key of the certificate (PEM)")
	f.StringSlice("trusted-proxies", nil, "addresses or networks (CIDR) whose X-Forwarded-For is believed")
	f.String("metrics-addr", "", "an address of its own to answer /metrics on, for Prometheus; none if absent")
	f.String("log-level", "info", "debug, info, warn or error: the least that is logged")
	f.String("log-format", "text", "text or json")

	f.String("smtp", "", "the server that takes letters, such as smtp://user@mail.example:587 (STARTTLS) or "+
		"smtps://user@mail.example:465; its password is in FACHWERK_SMTP_PASSWORD, or in the file that "+
		"FACHWERK_SMTP_PASSWORD_FILE names. Without one, letters lie in the outbox")
	f.String("mail-from", "", "the sender of letters, such as \"Fachwerk <fachwerk@example.org>\"")
	f.String("mail-forms", "", "a folder with forms of letters in place of the usual ones: letter.txt, letter.html")

	f.Bool("second-factor", false, "demand a second factor of whoever holds rights in Fachwerk")
	f.String("time-zone", "UTC", "the organisation's time zone, like Europe/Oslo: when days begin and end, and series of reviews open")
	f.Int("invitation-days", 7, "for how many days an invitation is good")
	f.Int("findings-idle-days", finding.Usual.Idle, "after how many days without use something is a finding")
	f.Int("findings-soon-days", finding.Usual.Soon, "how many days before it ends something is a finding")
	f.Int("findings-review-days", finding.Usual.Review, "for how many days the decision of a review counts")
	f.Int("findings-alike-percent", finding.Usual.Alike, "from how much in common on two roles are nearly the same")
	f.Int("findings-peers", finding.Usual.Peers, "how many others of a job there must be, so that somebody can stand out")
	f.Int("findings-rare", finding.Usual.Rare, "somebody stands out by what fewer than one in so many of these hold")
	f.Int("session-hours", 12, "after how many hours somebody signs in again")
	f.Int("session-idle-minutes", 120, "after how many minutes without use somebody signs in again")
	f.String("oidc-issuer", "", "an identity provider by which people sign in too (OpenID Connect); its secret is in "+
		"FACHWERK_OIDC_CLIENT_SECRET, or in the file that FACHWERK_OIDC_CLIENT_SECRET_FILE names")
	f.String("oidc-client-id", "", "what the identity provider knows Fachwerk as")
	f.String("oidc-name", "", "what the identity provider is called on the sign-in page")
	f.Bool("passwords-for-owners-only", false, "with an identity provider: nobody but owners signs in by password")
	f.String("newcomers", "", "with an identity provider: the id of a group into which it may bring people whom nobody "+
		"has added")

	f.Int("keep-sessions-days", 90, "delete sessions so many days after they ended")
	f.Int("keep-links-days", 30, "delete links so many days after they ran out")
	f.Int("keep-letters-days", 0, "delete letters from the outbox after so many days; 0: never")
	f.Int("keep-uses-days", 0, "forget when somebody last used something after so many days; 0: never")
	f.Int("keep-evidence-days", 0, "forget the evidence of items of reviews so many days after these closed; 0: never")
}

// notSettings are the flags that say what to do with settings.
var notSettings = []string{"config", "show-config", "help"}

// readSettings gathers the settings from the flags, the environment and the file, and checks them.
func readSettings(f *pflag.FlagSet, environ []string) (*settings, error) {
	s := &settings{from: map[string]string{}, secrets: map[string]string{}}
	k := koanf.New("/") // no name holds one, so that names are whole
	path, _ := f.GetString("config")
	if path == "" {
		path = lookUp(environ, prefix+"CONFIG")
	}
	if path != "" {
		if err := k.Load(file.Provider(path), toml.Parser()); err != nil {
			return nil, fmt.Errorf("the settings in %s cannot be read: %w", path, err)
		}
		for _, name := range k.Keys() {
			if f.Lookup(name) == nil || slices.Contains(notSettings, name) {
				return nil, fmt.Errorf("%s: there is no setting %q%s", path, name, hint(name))
			}
			s.from[name] = path
		}
	}
	err := k.Load(env.Provider("/", env.Opt{
		Prefix:      prefix,
		EnvironFunc: func() []string { return environ },
		TransformFunc: func(key, value string) (string, any) {
			name := strings.ReplaceAll(strings.ToLower(strings.TrimPrefix(key, prefix)), "_", "-")
			flag := f.Lookup(name)
			if flag == nil || slices.Contains(notSettings, name) {
				return "", nil // of something else by that name, such as a service's address
			}
			s.from[name] = key
			if flag.Value.Type() == "stringSlice" {
				return name, fields(value)
			}
			return name, value
		},
	}), nil)
	if err != nil {
		return nil, err
	}
	if err := k.Load(posflag.Provider(f, "/", k), nil); err != nil {
		return nil, err
	}
	f.Visit(func(flag *pflag.Flag) { s.from[flag.Name] = "--" + flag.Name })
	if err := k.UnmarshalWithConf("", s, koanf.UnmarshalConf{Tag: "koanf"}); err != nil {
		return nil, fmt.Errorf("settings: %s", oneLine(err.Error()))
	}
	for _, name := range secrets {
		text, from, err := secretOf(name, environ)
		if err != nil {
			return nil, err
		}
		if s.secrets[name] = text; text != "" {
			s.from[name] = from
		}
	}
	return s, s.check()
}

// fields gives the parts of a list that is written with commas.
func fields(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' })
}

// hint says what to do with a name that is no setting, if that is known.
func hint(name string) string {
	if slices.Contains(secrets, name) {
		return fmt.Sprintf(": a secret is given by %s or %s_FILE", variable(name), variable(name))
	}
	return "; fachwerk serve --help lists them"
}

func variable(name string) string {
	return prefix + strings.ToUpper(strings.ReplaceAll(name, "-", "_"))
}

func lookUp(environ []string, name string) string {
	for _, e := range environ {
		if value, ok := strings.CutPrefix(e, name+"="); ok {
			return value
		}
	}
	return ""
}

// secretOf gives a secret, and the variable that it comes by.
func secretOf(name string, environ []string) (text, from string, err error) {
	if path := lookUp(environ, variable(name)+"_FILE"); path != "" {
		data, err := os.ReadFile(path)
		if err != nil {
			return "", "", fmt.Errorf("%s_FILE: %w", variable(name), err)
		}
		return strings.TrimSpace(string(data)), variable(name) + "_FILE", nil
	}
	return lookUp(environ, variable(name)), variable(name), nil
}

// check tells what is wrong with the settings, by the name of the one that it is.
func (s *settings) check() error {
	wrong := func(name, format string, args ...any) error {
		return usageError{fmt.Errorf("--%s: %s", name, fmt.Sprintf(format, args...))}
	}
	var err error
	if s.proxies, err = prefixes(s.TrustedProxies); err != nil {
		return wrong("trusted-proxies", "%s", err)
	}
	s.URL = strings.TrimRight(s.URL, "/")
	if u, err := url.Parse(s.URL); s.URL != "" &&
		(err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || u.RawQuery != "" || u.Fragment != "") {
		return wrong("url", "expected an address like https://fachwerk.example, not %q", s.URL)
	}
	s.Follow = strings.TrimRight(s.Follow, "/")
	if u, err := url.Parse(s.Follow); s.Follow != "" &&
		(err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https") {
		return wrong("follow", "expected an address like https://fachwerk.example, not %q", s.Follow)
	}
	if s.Follow != "" && (s.DB != "" || s.Demo) {
		return wrong("follow", "a copy holds no database: leave --db and --demo out")
	}
	if s.Follow != "" && s.secrets["follow-token"] == "" {
		return wrong(
			"follow",
			"it needs a token, made there by fachwerk token --for copies, in FACHWERK_FOLLOW_TOKEN or the "+
				"file that FACHWERK_FOLLOW_TOKEN_FILE names",
		)
	}
	if s.SMTP != "" {
		if s.sender, err = post.NewSMTP(s.SMTP, s.secrets["smtp-password"], s.MailFrom); err != nil {
			name := "smtp"
			if s.MailFrom == "" {
				name, err = "mail-from", errors.New("letters need a sender")
			}
			return wrong(name, "%s", err)
		}
	}
	if s.forms, err = post.NewForm(s.MailForms); err != nil {
		return wrong("mail-forms", "%s", err)
	}
	if (s.TLSCert == "") != (s.TLSKey == "") {
		return wrong("tls-cert", "a certificate and its --tls-key go together")
	}
	if s.zone, err = time.LoadLocation(s.TimeZone); err != nil {
		return wrong("time-zone", "expected a time zone of the tz database, like Europe/Oslo, not %q", s.TimeZone)
	}
	if _, known := levels[s.LogLevel]; !known {
		return wrong("log-level", "expected debug, info, warn or error, not %q", s.LogLevel)
	}
	if s.LogFormat != "text" && s.LogFormat != "json" {
		return wrong("log-format", "expected text or json, not %q", s.LogFormat)
	}
	for _, n := range []struct {
		name        string
		value       int
		least, most int
	}{
		{"invitation-days", s.InvitationDays, 1, 90},
		{"findings-idle-days", s.FindingsIdleDays, 1, 10 * 366},
		{"findings-soon-days", s.FindingsSoonDays, 1, 366},
		{"findings-review-days", s.FindingsReviewDays, 1, 10 * 366},
		{"findings-alike-percent", s.FindingsAlikePercent, 50, 100},
		{"findings-peers", s.FindingsPeers, 2, 1000},
		{"findings-rare", s.FindingsRare, 2, 1000},
		{"session-hours", s.SessionHours, 1, 7 * 24},
		{"session-idle-minutes", s.SessionIdleMinutes, 5, 7 * 24 * 60},
		{"keep-sessions-days", s.KeepSessionsDays, 1, 100 * 366},
		{"keep-links-days", s.KeepLinksDays, 1, 100 * 366},
		{"keep-letters-days", s.KeepLettersDays, 0, 100 * 366},
		{"keep-evidence-days", s.KeepEvidenceDays, 0, 100 * 366},
		{"keep-uses-days", s.KeepUsesDays, 0, 100 * 366},
	} {
		if n.value < n.least || n.value > n.most {
			return wrong(n.name, "expected a number from %d to %d, not %d", n.least, n.most, n.value)
		}
	}
	if s.OIDCIssuer != "" && s.OIDCClientID == "" {
		return usageError{errors.New("--oidc-issuer needs --oidc-client-id")}
	}
	return nil
}

// prefixes reads addresses and networks.
func prefixes(list []string) (out []netip.Prefix, err error) {
	for _, text := range list {
		p, err := netip.ParsePrefix(text)
		if err != nil {
			at, err := netip.ParseAddr(text)
			if err != nil {
				return nil, fmt.Errorf("expected an address or a network like 10.0.0.0/8, not %q", text)
			}
			p = netip.PrefixFrom(at, at.BitLen())
		}
		out = append(out, p)
	}
	return out, nil
}

// show writes the settings as a file of settings could have them, each with where it comes from.
func (s *settings) show(f *pflag.FlagSet, to io.Writer) error {
	values := s.values()
	var err error
	f.VisitAll(func(flag *pflag.Flag) {
		if err != nil || slices.Contains(notSettings, flag.Name) {
			return
		}
		var line []byte
		if line, err = toml.Parser().Marshal(map[string]any{flag.Name: values[flag.Name]}); err == nil {
			_, err = fmt.Fprintf(to, "%s # %s\n", strings.TrimSpace(string(line)), s.origin(flag.Name))
		}
	})
	for _, name := range secrets {
		if err == nil {
			_, err = fmt.Fprintf(to, "# %s: %s\n", name, s.secret(name))
		}
	}
	return err
}

// values gives the settings by name.
func (s *settings) values() map[string]any {
	out := map[string]any{}
	v := reflect.ValueOf(*s)
	for i := range v.NumField() {
		name := v.Type().Field(i).Tag.Get("koanf")
		switch value := v.Field(i); {
		case name == "":
		case value.Kind() == reflect.Slice && value.IsNil():
			out[name] = []string{}
		default:
			out[name] = value.Interface()
		}
	}
	return out
}

func (s *settings) origin(name string) string {
	if from := s.from[name]; from != "" {
		return from
	}
	return "default"
}

// secret tells of a secret whether there is one.
func (s *settings) secret(name string) string {
	if s.secrets[name] == "" {
		return "not set"
	}
	return "set by " + s.from[name]
}

// outside is how the server is seen from outside, once it is known on which address it listens.
func (s *settings) outside(listening string) inner.Outside {
	out := inner.Outside{URL: s.URL, Proxies: s.proxies}
	switch {
	case out.URL != "":
	case s.TLSCert != "":
		out.URL = "https://" + listening
	default:
		out.URL = "http://" + listening
	}
	return out
}

// accounts are the settings of how people sign in.
func (s *settings) accounts() account.Settings {
	return account.Settings{
		Mail:         s.sender != nil,
		SecondFactor: s.SecondFactor,
		Provider: account.Provider{
			Issuer: s.OIDCIssuer, ClientID: s.OIDCClientID, ClientSecret: s.secrets["oidc-client-secret"], Name: s.OIDCName,
			OnlyOwners: s.PasswordsForOwnersOnly, Newcomers: s.Newcomers,
		},
		InvitationLife: time.Duration(s.InvitationDays) * 24 * time.Hour,
		SessionLife:    time.Duration(s.SessionHours) * time.Hour,
		SessionIdle:    time.Duration(s.SessionIdleMinutes) * time.Minute,
	}
}

// thresholds say from when on something is a finding.
func (s *settings) thresholds() finding.Thresholds {
	return finding.Thresholds{
		Idle: s.FindingsIdleDays, Soon: s.FindingsSoonDays, Review: s.FindingsReviewDays, Alike: s.FindingsAlikePercent,
		Peers: s.FindingsPeers, Rare: s.FindingsRare,
	}
}

// retention is for how long what is no part of the record is kept.
func (s *settings) retention() store.Retention {
	return store.Retention{
		SessionDays: s.KeepSessionsDays, LinkDays: s.KeepLinksDays,
		LetterDays: s.KeepLettersDays, EvidenceDays: s.KeepEvidenceDays, UseDays: s.KeepUsesDays,
	}
}

var levels = map[string]slog.Level{
	"debug": slog.LevelDebug, "info": slog.LevelInfo, "warn": slog.LevelWarn, "error": slog.LevelError,
}

// log is where the server logs to.
func (s *settings) log(to io.Writer) *slog.Logger {
	o := &slog.HandlerOptions{Level: levels[s.LogLevel]}
	if s.LogFormat == "json" {
		return slog.New(slog.NewJSONHandler(to, o))
	}
	return slog.New(slog.NewTextHandler(to, o))
}
