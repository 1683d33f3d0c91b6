package post

import (
	"embed"
	"errors"
	"fmt"
	html "html/template"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	text "text/template"
)

// Form is how letters look: as plain text and as a page. Whoever runs the server can put forms of their own in place
// of the usual ones.
type Form struct {
	plain *text.Template
	page  *html.Template
}

//go:embed letter.txt letter.html
var usual embed.FS

// The names of the two forms, in the folder too that an operator gives.
const (
	plainForm = "letter.txt"
	pageForm  = "letter.html"
)

// Filled is what a form is filled with.
type Filled struct {
	Organisation string
	Subject      string
	Paragraphs   []string // each may have several lines; one of them can be the link
	Link         string   // the address that the letter brings; empty if none
}

// NewForm reads the forms from a folder; what is not there is the usual form. Without a folder, both are. A form that
// cannot be read, or filled, is an error that names it.
func NewForm(folder string) (*Form, error) {
	read := func(name string) (string, error) {
		if folder != "" {
			data, err := os.ReadFile(filepath.Join(folder, name))
			if !errors.Is(err, fs.ErrNotExist) {
				return string(data), err
			}
		}
		data, err := usual.ReadFile(name)
		return string(data), err
	}
	f := &Form{}
	plain, err := read(plainForm)
	if err == nil {
		f.plain, err = text.New(plainForm).Option("missingkey=error").Parse(plain)
	}
	if err != nil {
		return nil, fmt.Errorf("the form of letters %s: %w", plainForm, err)
	}
	page, err := read(pageForm)
	if err == nil {
		f.page, err = html.New(pageForm).Option("missingkey=error").Parse(page)
	}
	if err != nil {
		return nil, fmt.Errorf("the form of letters %s: %w", pageForm, err)
	}
	_, _, err = f.Fill(Filled{"Organisation", "Subject", []string{"Text"}, "https://fachwerk.example"})
	return f, err
}

// Fill gives a letter in both forms.
func (f *Form) Fill(with Filled) (plain, page string, err error) {
	var p, h strings.Builder
	if err := f.plain.Execute(&p, with); err != nil {
		return "", "", fmt.Errorf("the form of letters %s: %w", plainForm, err)
	}
	if err := f.page.Execute(&h, with); err != nil {
		return "", "", fmt.Errorf("the form of letters %s: %w", pageForm, err)
	}
	return p.String(), h.String(), nil
}

// Paragraphs parts the body of a letter, with its link in place.
func Paragraphs(body, link string) []string {
	var out []string
	for _, p := range strings.Split(strings.ReplaceAll(body, LinkHere, link), "\n\n") {
		if p = strings.Trim(p, "\n"); p != "" {
			out = append(out, p)
		}
	}
	return out
}
