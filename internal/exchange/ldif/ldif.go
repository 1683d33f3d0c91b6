// Package ldif writes and reads people and groups in the form in which directories are moved: LDIF (RFC 2849),
// people as inetOrgPerson (RFC 2798), groups as groupOfNames or groupOfUniqueNames (RFC 4519).
package ldif

import (
	"bufio"
	"io"
	"strings"

	"github.com/go-ldap/ldap/v3"
	"github.com/go-ldap/ldif"

	"fachwerk/internal/core/model"
)

// width is where lines are folded.
const width = 76

// Write writes the people who are not deleted and the static groups of a design. A group without members cannot be
// said in LDIF, so it is left out.
func Write(w io.Writer, d *model.Design) error {
	out := bufio.NewWriter(w)
	suffix := "o=" + ldap.EscapeDN(strings.TrimSpace(d.Organisation.Name))
	person := func(id string) string { return "uid=" + ldap.EscapeDN(id) + ",ou=people," + suffix }
	group := func(id string) string { return "cn=" + ldap.EscapeDN(id) + ",ou=groups," + suffix }
	if _, err := out.WriteString("version: 1\n\n"); err != nil {
		return err
	}
	for _, u := range d.Users {
		if u.State == model.UserDeleted {
			continue
		}
		e := entry{dn: person(u.ID)}
		e.add("objectClass", "top", "person", "organizationalPerson", "inetOrgPerson")
		e.add("uid", u.UserName)
		e.add("cn", u.DisplayName)
		words := strings.Fields(u.DisplayName)
		if len(words) == 0 {
			words = []string{u.UserName}
		}
		e.add("sn", words[len(words)-1])
		e.add("displayName", u.DisplayName)
		e.add("mail", u.Email)
		e.add("title", u.JobTitle)
		e.add("departmentNumber", u.Department)
		e.add("employeeType", u.UserType)
		e.add("employeeNumber", u.ExternalID)
		if u.Manager != "" {
			e.add("manager", person(u.Manager))
		}
		if err := e.write(out); err != nil {
			return err
		}
	}
	for _, g := range d.Groups {
		var members []string
		for _, u := range g.Users {
			if o, ok := d.Users.Find(u); ok && o.State != model.UserDeleted {
				members = append(members, person(u))
			}
		}
		for _, c := range g.Groups {
			members = append(members, group(c))
		}
		if len(members) == 0 {
			continue
		}
		e := entry{dn: group(g.ID)}
		e.add("objectClass", "top", "groupOfNames")
		e.add("cn", g.Name)
		e.add("description", g.Description)
		e.add("member", members...)
		if err := e.write(out); err != nil {
			return err
		}
	}
	return out.Flush()
}

// entry is one object of a directory.
type entry struct {
	dn         string
	attributes []*ldap.EntryAttribute
}

func (e *entry) add(name string, values ...string) {
	var given []string
	for _, v := range values {
		if v = strings.TrimSpace(v); v != "" {
			given = append(given, v)
		}
	}
	if given != nil {
		e.attributes = append(e.attributes, &ldap.EntryAttribute{Name: name, Values: given})
	}
}

func (e *entry) write(w io.Writer) error {
	return ldif.Dump(w, width, &ldap.Entry{DN: e.dn, Attributes: e.attributes})
}
