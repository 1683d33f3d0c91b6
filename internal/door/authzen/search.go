package authzen

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"fachwerk/internal/desk"
)

// A search asks for all subjects, resources or actions that an evaluation would allow (AuthZEN 1.0, §8). Results are sorted, and a page's token
// names the last result before it: what comes and goes meanwhile neither repeats nor hides others.

const (
	pageDefault = 100
	pageMost    = 1000
)

// search reads a request with its page; it answers and gives false if something is wrong with it.
func search(w http.ResponseWriter, r *http.Request, need parts) (q desk.Question, kind, name string, p page, ok bool) {
	var body struct {
		request
		Page json.RawMessage `json:"page"`
	}
	if !read(w, r, &body) {
		return q, "", "", p, false
	}
	q, kind, name, _, err := body.question(need)
	if err == nil {
		p, err = readPage(body.Page)
	}
	if err != nil {
		fail(w, http.StatusBadRequest, err.Error())
		return q, "", "", p, false
	}
	return q, kind, name, p, true
}

// page says which results are wanted: at most limit, after one.
type page struct {
	after string
	limit int
}

// tokenMark begins every token, so that a made-up one is noticed.
const tokenMark = "after:"

func readPage(raw json.RawMessage) (page, error) {
	p := page{limit: pageDefault}
	if !present(raw) {
		return p, nil
	}
	var given struct {
		Token *string `json:"token"`
		Limit *int    `json:"limit"`
	}
	if err := object(raw, "page", &given); err != nil {
		return p, err
	}
	if given.Limit != nil {
		if *given.Limit < 1 {
			return p, fmt.Errorf("page.limit: expected a whole number of 1 or more, not %d", *given.Limit)
		}
		p.limit = min(*given.Limit, pageMost)
	}
	if given.Token != nil && *given.Token != "" {
		text, err := base64.RawURLEncoding.DecodeString(*given.Token)
		after, ours := strings.CutPrefix(string(text), tokenMark)
		if err != nil || !ours {
			return p, fmt.Errorf("page.token: %q is no token that was given out", *given.Token)
		}
		p.after = after
	}
	return p, nil
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
		next = base64.RawURLEncoding.EncodeToString([]byte(tokenMark + shown[len(shown)-1]))
	}
	reply(w, map[string]any{"results": results, "page": map[string]any{"next_token": next, "count": len(results), "total": len(ids)}})
}

type entity struct {
	Type string `json:"type"`
	ID   string `json:"id"`
}

func (s *server) searchSubject(w http.ResponseWriter, r *http.Request) {
	q, kind, name, p, ok := search(w, r, parts{action: true, resourceID: true})
	if !ok {
		return
	}
	q.Permission = kind + ":" + name
	p.answer(w, s.desk.WhoMay(q), func(id string) any { return entity{"user", id} })
}

func (s *server) searchResource(w http.ResponseWriter, r *http.Request) {
	q, kind, name, p, ok := search(w, r, parts{subjectID: true, action: true})
	if !ok {
		return
	}
	q.Permission = kind + ":" + name
	p.answer(w, s.desk.WhereMay(q), func(id string) any { return entity{kind, id} })
}

func (s *server) searchAction(w http.ResponseWriter, r *http.Request) {
	q, kind, _, p, ok := search(w, r, parts{subjectID: true, resourceID: true})
	if !ok {
		return
	}
	p.answer(w, s.desk.WhatMay(q, kind), func(name string) any { return map[string]string{"name": name} })
}
