package authzen

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/valyala/fastjson"
)

// A search asks for all subjects, resources or actions that an evaluation would allow (AuthZEN 1.0, §8). Results
// are sorted, and a page's token names the last result before it: what comes and goes meanwhile neither repeats nor
// hides others.

const (
	pageDefault = 100
	pageMost    = 1000
)

// search answers with those that find gives to a request which leaves a part open, each as result makes it.
func (s *server) search(
	w http.ResponseWriter,
	r *http.Request,
	need parts,
	find func(q asked) ([]string, error),
	result func(q asked, id string) any,
) {
	b, ok := read(w, r)
	if !ok {
		return
	}
	defer b.done()
	q, err := requestIn(b.Value).question(need)
	p := page{limit: pageDefault}
	if err == nil {
		p.of = questioned(r.URL.Path, q)
		err = p.read(b.Get("page"))
	}
	var ids []string
	if err == nil {
		if ids, err = find(q); err != nil {
			err = broken{err}
		}
	}
	if err != nil {
		refuse(w, r, err)
		return
	}
	p.answer(w, ids, func(id string) any { return result(q, id) })
}

// page says which results are wanted: at most limit, after one.
type page struct {
	of    string // names the question
	after string
	limit int
}

// questioned names a question, so that nobody goes on with one by the token of another.
func questioned(endpoint string, q asked) string {
	data, _ := json.Marshal(q.Question) // texts and instants only
	sum := sha256.Sum256(append([]byte(endpoint+" "), data...))
	return base64.RawURLEncoding.EncodeToString(sum[:9])
}

// tokenMark begins every token, so that a made-up one is noticed.
const tokenMark = "after:"

func (p *page) read(given *fastjson.Value) error {
	if !present(given) {
		return nil
	}
	if err := object(given, "page"); err != nil {
		return err
	}
	if limit := given.Get("limit"); present(limit) {
		n, err := limit.Int()
		if err != nil || n < 1 {
			return fmt.Errorf("page.limit: expected a whole number of 1 or more, not %s", limit)
		}
		p.limit = min(n, pageMost)
	}
	token, _, err := text(given, "page", "token")
	if err != nil || token == "" {
		return err
	}
	decoded, err := base64.RawURLEncoding.DecodeString(token)
	of, after, ours := strings.Cut(strings.TrimPrefix(string(decoded), tokenMark), ":")
	switch {
	case err != nil || !ours || !strings.HasPrefix(string(decoded), tokenMark):
		return fmt.Errorf("page.token: %q is no token that was given out", token)
	case of != p.of:
		return fmt.Errorf("page.token: %q was given out for another question: ask that one again with it", token)
	}
	p.after = after
	return nil
}

// answer writes a page of the sorted ids, each as result makes it.
func (p page) answer(w http.ResponseWriter, ids []string, result func(id string) any) {
	start, found := slices.BinarySearch(ids, p.after)
	if found {
		start++
	}
	shown := ids[start:min(len(ids), start+p.limit)]
	results := make([]any, len(shown))
	for i, id := range shown {
		results[i] = result(id)
	}
	next := ""
	if start+len(shown) < len(ids) {
		next = base64.RawURLEncoding.EncodeToString([]byte(tokenMark + p.of + ":" + shown[len(shown)-1]))
	}
	reply(
		w,
		map[string]any{
			"results": results,
			"page":    map[string]any{"next_token": next, "count": len(results), "total": len(ids)},
		},
	)
}

type entity struct {
	Type string `json:"type"`
	ID   string `json:"id"`
}

// place is a record of nobody in particular at an area.
type place struct {
	entity
	Properties map[string]string `json:"properties"`
}

func (s *server) searchSubject(w http.ResponseWriter, r *http.Request) {
	s.search(
		w,
		r,
		parts{action: true, resourceID: true},
		func(q asked) ([]string, error) { return s.desk.WhoMay(q.Question) },
		func(_ asked, id string) any { return entity{"user", id} },
	)
}

func (s *server) searchResource(w http.ResponseWriter, r *http.Request) {
	s.search(
		w,
		r,
		parts{subjectID: true, action: true},
		func(q asked) ([]string, error) { return s.desk.WhereMay(q.Question) },
		func(q asked, id string) any { // as it is, it can be evaluated
			return place{entity{q.kind, id}, map[string]string{"area": id}}
		},
	)
}

func (s *server) searchAction(w http.ResponseWriter, r *http.Request) {
	s.search(
		w,
		r,
		parts{subjectID: true, resourceID: true},
		func(q asked) ([]string, error) { return s.desk.WhatMay(q.Question, q.kind) },
		func(_ asked, name string) any { return map[string]string{"name": name} },
	)
}
