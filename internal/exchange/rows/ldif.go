package rows

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-ldap/ldap/v3"
	"github.com/go-ldap/ldif"
)

// The parts of LDIF, which are chosen as the sheets of a workbook are.
const (
	peopleOfLDIF = "people"
	groupsOfLDIF = "groups"
)

// directory reads the people or groups of LDIF, as is chosen, or else whichever there are more of: each attribute a
// column; several values stand with ; between.
func (f *File) directory(data []byte) error {
	text, err := f.text(data)
	if err != nil {
		return err
	}
	type record struct {
		values map[string][]string
		group  bool
	}
	var list []record
	nameOf := map[string]string{} // what others call an entry by, by its folded name in the directory
	groups := 0
	err = eachEntry(text, func(e *ldap.Entry) error {
		r := record{values: valuesOf(e)}
		is := func(class string) bool {
			return slices.ContainsFunc(
				r.values["objectclass"],
				func(c string) bool { return strings.EqualFold(c, class) },
			)
		}
		r.group = is("groupOfNames") || is("groupOfUniqueNames")
		if !r.group && !is("inetOrgPerson") && !is("person") {
			return nil // branches, machines
		}
		if len(list) == maxEntries {
			return fmt.Errorf("the file has more than %d people and groups: split it", maxEntries)
		}
		if r.group {
			groups++
		}
		if called := first(r.values, "uid", "cn"); called != "" {
			nameOf[strings.ToLower(e.DN)] = called
			if r.group {
				nameOf[strings.ToLower(e.DN)] = first(r.values, "cn")
			}
		}
		list = append(list, r)
		return nil
	})
	if err != nil {
		return err
	}
	if groups > 0 && groups < len(list) {
		f.Sheets = []string{peopleOfLDIF, groupsOfLDIF}
		if 2*groups > len(list) {
			slices.Reverse(f.Sheets)
		}
		if f.Reading.Sheet == "" && slices.Contains(f.Sheets, f.Reading.Prefer) {
			f.Reading.Sheet = f.Reading.Prefer
		}
		f.Reading.Sheet = cmp.Or(f.Reading.Sheet, f.Sheets[0])
		if !slices.Contains(f.Sheets, f.Reading.Sheet) {
			return fmt.Errorf("the file has people and groups, and no %q", f.Reading.Sheet)
		}
	}
	wantGroups := groups == len(list) || f.Reading.Sheet == groupsOfLDIF
	columns := map[string]bool{}
	for _, r := range list {
		for name, values := range r.values {
			if r.group != wantGroups || name == "objectclass" {
				continue
			}
			columns[name] = true
			for i, v := range values {
				if called, ok := nameOf[strings.ToLower(v)]; ok {
					values[i] = called
				} else if slices.Contains(naming, name) {
					values[i] = calledBy(v)
				}
			}
			r.values[name] = unique(values)
		}
	}
	f.Header = slices.Sorted(maps.Keys(columns))
	for i, r := range list {
		if r.group != wantGroups {
			continue
		}
		row := make([]string, len(f.Header))
		for c, name := range f.Header {
			row[c] = strings.Join(r.values[name], "; ")
		}
		f.Rows, f.Lines = append(f.Rows, row), append(f.Lines, i+1)
	}
	return nil
}

// unique gives some values, each once, in order.
func unique(values []string) (out []string) {
	for _, v := range values {
		if !slices.Contains(out, v) {
			out = append(out, v)
		}
	}
	return out
}

// maxEntries bounds how many people and groups of LDIF are read.
const maxEntries = 200_000

// eachEntry calls do with the entries of LDIF, one after another: only one is taken apart at a time.
func eachEntry(text string, do func(e *ldap.Entry) error) error {
	var kept strings.Builder // one entry, without what ldapsearch writes below the entries, and where else to ask
	drops, began := false, 0
	entry := func() error {
		if strings.TrimSpace(kept.String()) == "" {
			kept.Reset()
			return nil
		}
		var l ldif.LDIF
		if err := ldif.Unmarshal(strings.NewReader(kept.String()), &l); err != nil {
			return fmt.Errorf("the file is not LDIF: in what begins at line %d: %w", began, err)
		}
		kept.Reset()
		for _, e := range l.Entries {
			if e.Entry == nil {
				return errors.New("the file has changes of a directory, not its content: write the entries out whole")
			}
			if err := do(e.Entry); err != nil {
				return err
			}
		}
		return nil
	}
	n := 0
	for line := range strings.Lines(text) {
		n++
		bare := strings.TrimRight(line, "\r\n")
		// Such a line has whoever reads it open a file, or ask another server (RFC 2849, value-spec).
		if _, value, ok := strings.Cut(line, ":"); ok && strings.HasPrefix(value, "<") && !strings.HasPrefix(line, " ") {
			return fmt.Errorf(
				"line %d names a file or address to read a value from (:<), which is not done: write the value out",
				n,
			)
		}
		begins := kept.Len() == 0 && !drops
		switch {
		case bare == "":
			drops = false
			if err := entry(); err != nil {
				return err
			}
			continue
		case begins && strings.HasPrefix(bare, "#"), begins && strings.HasPrefix(strings.ToLower(bare), "version:"):
			continue
		case begins && !strings.HasPrefix(bare, " "):
			attribute, _, _ := strings.Cut(strings.ToLower(bare), ":")
			drops, began = slices.Contains([]string{"search", "result", "ref"}, attribute), n
		}
		if drops {
			continue
		}
		if kept.WriteString(line); kept.Len() > maxEntry {
			return fmt.Errorf("the entry that begins at line %d is larger than %d bytes", began, maxEntry)
		}
	}
	return entry()
}

// maxEntry bounds one entry of LDIF, in bytes: a group with a hundred thousand members.
const maxEntry = 8 << 20

// valuesOf gives the values of an entry by attribute, in lower case. What is said in a language (RFC 3866) counts where
// nothing is said in none. The members of a group are of one attribute, by whichever of the two they are listed.
func valuesOf(e *ldap.Entry) map[string][]string {
	values, spoken := map[string][]string{}, map[string][]string{}
	for _, a := range e.Attributes {
		name, option, _ := strings.Cut(strings.ToLower(a.Name), ";")
		if name == "uniquemember" {
			name = "member"
		}
		to := values
		if strings.HasPrefix(option, "lang-") {
			if to = spoken; spoken[name] != nil {
				continue // in another language too
			}
		}
		to[name] = append(to[name], a.Values...)
	}
	for name, list := range spoken {
		if values[name] == nil {
			values[name] = list
		}
	}
	for _, name := range alone {
		values[name] = values[name][:min(1, len(values[name]))]
		if len(values[name]) == 0 {
			delete(values, name)
		}
	}
	return values
}

// alone are the attributes that may have several values, of which people have one here: the first counts.
var alone = []string{"uid", "cn", "sn", "givenname", "displayname", "mail", "title"}

// naming are the attributes that name other entries.
var naming = []string{"member", "manager", "owner", "secretary", "memberof"}

// calledBy is what somebody or a group outside the file is called: as the first part of its name in the directory says.
func calledBy(name string) string {
	dn, err := ldap.ParseDN(name)
	if err != nil || len(dn.RDNs) < 2 {
		return name
	}
	return dn.RDNs[0].Attributes[0].Value
}

func first(values map[string][]string, names ...string) string {
	for _, n := range names {
		if len(values[n]) > 0 {
			return values[n][0]
		}
	}
	return ""
}
