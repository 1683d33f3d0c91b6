// Package provider is a small identity provider (OpenID Connect Core 1.0), for walks and the demo only: whoever comes
// chooses who they are.
package provider

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"html/template"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strconv"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
)

// Person is somebody whom the provider knows.
type Person struct {
	Subject  string
	Email    string
	Verified bool
}

// Provider is an identity provider that serves until it is closed.
type Provider struct {
	*httptest.Server
	ClientID, ClientSecret string
	Now                    func() time.Time
	// AuthTime is when whoever comes next signed in here; nil: now. Silent leaves it out of the token.
	AuthTime *time.Time
	Silent   bool

	people []Person
	key    *rsa.PrivateKey
	mu     sync.Mutex
	codes  map[string]grant
}

// grant is what a code was given for.
type grant struct {
	person                     Person
	nonce, challenge, redirect string
}

// Serve serves a provider that knows some people.
func Serve(now func() time.Time, people ...Person) (*Provider, error) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		return nil, err
	}
	p := &Provider{
		ClientID:     "fachwerk",
		ClientSecret: rand.Text(),
		Now:          now,
		people:       people,
		key:          key,
		codes:        map[string]grant{},
	}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/openid-configuration", p.configuration)
	mux.HandleFunc("GET /authorize", p.authorize)
	mux.HandleFunc("GET /as", p.as)
	mux.HandleFunc("POST /token", p.token)
	mux.HandleFunc("GET /keys", p.keys)
	p.Server = httptest.NewServer(mux)
	return p, nil
}

func answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v)
}

func (p *Provider) configuration(w http.ResponseWriter, _ *http.Request) {
	answer(w, map[string]any{
		"issuer": p.URL, "authorization_endpoint": p.URL + "/authorize", "token_endpoint": p.URL + "/token",
		"jwks_uri": p.URL + "/keys", "id_token_signing_alg_values_supported": []string{"RS256"},
		"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"},
	})
}

var page = template.Must(
	template.New("").Parse(`<!doctype html><html lang="en"><title>Who are you?</title><h1>Who are you?</h1>
{{range $i, $p := .People}}<p><a href="/as?{{$.Query}}&amp;who={{$i}}">{{$p.Subject}}</a></p>{{end}}`),
)

// authorize asks who somebody is.
func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("client_id") != p.ClientID || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" ||
		q.Get("state") == "" || q.Get("nonce") == "" {
		http.Error(w, "not as agreed", http.StatusBadRequest)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = page.Execute(w, map[string]any{"People": p.people, "Query": template.URL(r.URL.RawQuery)})
}

// as gives a code for whoever was chosen.
func (p *Provider) as(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	i := int(q.Get("who")[0] - '0')
	code := rand.Text()
	p.mu.Lock()
	p.codes[code] = grant{p.people[i], q.Get("nonce"), q.Get("code_challenge"), q.Get("redirect_uri")}
	p.mu.Unlock()
	to := q.Get("redirect_uri") + "?" + url.Values{"code": {code}, "state": {q.Get("state")}}.Encode()
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// Choose goes the way of a browser whose person is one of those whom the provider knows: it gives the state and the
// code that they come back with.
func (p *Provider) Choose(to string, person int) (state, code string, err error) {
	at, err := url.Parse(to)
	if err != nil {
		return "", "", err
	}
	at.Path, at.RawQuery = "/as", at.RawQuery+"&who="+strconv.Itoa(person)
	once := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	r, err := once.Get(at.String())
	if err != nil {
		return "", "", err
	}
	defer r.Body.Close()
	back, err := r.Location()
	if err != nil {
		return "", "", err
	}
	return back.Query().Get("state"), back.Query().Get("code"), nil
}

// token gives, for a code and the verifier that goes with it (RFC 7636), a token that says who it is.
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	id, secret, _ := r.BasicAuth()
	p.mu.Lock()
	g, ok := p.codes[r.FormValue("code")]
	delete(p.codes, r.FormValue("code"))
	p.mu.Unlock()
	sum := sha256.Sum256([]byte(r.FormValue("code_verifier")))
	if !ok || id != p.ClientID || secret != p.ClientSecret || g.redirect != r.FormValue("redirect_uri") ||
		base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge {
		w.WriteHeader(http.StatusBadRequest)
		answer(w, map[string]string{"error": "invalid_grant"})
		return
	}
	signer, err := jose.NewSigner(
		jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: p.key, KeyID: "k"}},
		nil,
	)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	says := map[string]any{
		"iss": p.URL, "aud": p.ClientID, "sub": g.person.Subject, "nonce": g.nonce, "email": g.person.Email,
		"email_verified": g.person.Verified, "iat": p.Now().Unix(), "exp": p.Now().Add(time.Minute).Unix(),
		"auth_time": p.Now().Unix(),
	}
	if p.AuthTime != nil {
		says["auth_time"] = p.AuthTime.Unix()
	}
	if p.Silent {
		delete(says, "auth_time")
	}
	claims, _ := json.Marshal(says)
	signed, err := signer.Sign(claims)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	token, _ := signed.CompactSerialize()
	answer(w, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 60, "id_token": token})
}

func (p *Provider) keys(w http.ResponseWriter, _ *http.Request) {
	answer(
		w,
		jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: p.key.Public(), KeyID: "k", Algorithm: "RS256", Use: "sig"}}},
	)
}
