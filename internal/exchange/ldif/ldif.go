// Package ldif writes and reads people and groups in the form in which directories are moved: LDIF (RFC 2849),
// people as inetOrgPerson (RFC 2798), groups as groupOfNames or groupOfUniqueNames (RFC 4519).
package ldif

import (
	"bufio"
	"cmp"
	"io"
	"strings"

	"github.com/go-ldap/ldap/v3"
	"github.com/go-ldap/ldif"

	"fachwerk/internal/core/model"
)

// width is where lines are folded.
const width = 76

// Write writes the people who are not deleted and the groups of a design, as an empty directory takes them in: first
// what they lie in, and each with the attribute that names it. Members gives who is in a group that finds its members
// by a rule. Groups without members cannot be said in LDIF (RFC 4519, section 3.5): they are left out, and named in a
// remark. Of people who are not active, the description says what they are. The line with the version, which may be
// left out (RFC 2849, note 1), is: loaders of whole directories take it for an entry.
func Write(w io.Writer, d *model.Design, members func(group string) []string) error {
	out := bufio.NewWriter(w)
	organisation := strings.TrimSpace(d.Organisation.Name)
	suffix := "o=" + ldap.EscapeDN(organisation)
	list := []entry{container("o="+ldap.EscapeDN(organisation), "organization", "o", organisation)}
	for _, unit := range []string{"people", "groups"} {
		list = append(list, container("ou="+unit+","+suffix, "organizationalUnit", "ou", unit))
	}
	person := func(u *model.User) string { return "uid=" + ldap.EscapeDN(u.UserName) + ",ou=people," + suffix }
	for _, u := range d.Users {
		if u.State != model.UserDeleted {
			list = append(list, personOf(d, u, person))
		}
	}
	groups, empty := groupsOf(d, suffix, person, members)
	for _, e := range append(list, groups...) {
		if err := e.write(out); err != nil {
			return err
		}
	}
	if len(empty) > 0 {
		if _, err := out.WriteString("# Left out, since a group without members cannot be said here:\n"); err != nil {
			return err
		}
	}
	for _, name := range empty {
		if _, err := out.WriteString("#   " + strings.Join(strings.Fields(name), " ") + "\n"); err != nil {
			return err
		}
	}
	return out.Flush()
}

// container is what others lie in.
func container(dn, class, attribute, name string) entry {
	e := entry{dn: dn}
	e.add("objectClass", "top", class)
	e.add(attribute, name)
	return e
}

func personOf(d *model.Design, u *model.User, dn func(u *model.User) string) entry {
	e := entry{dn: dn(u)}
	e.add("objectClass", "top", "person", "organizationalPerson", "inetOrgPerson")
	e.add("uid", u.UserName)
	e.add("cn", cmp.Or(strings.TrimSpace(u.DisplayName), u.UserName))
	words := strings.Fields(u.DisplayName)
	if len(words) == 0 {
		words = []string{u.UserName}
	}
	e.add("sn", words[len(words)-1])
	e.add("displayName", u.DisplayName)
	if !strings.ContainsFunc(u.Email, func(r rune) bool { return r >= 0x80 }) { // its syntax has no others
		e.add("mail", u.Email)
	}
	e.add("title", u.JobTitle)
	e.add("departmentNumber", u.Department)
	e.add("employeeType", u.UserType)
	e.add("employeeNumber", u.ExternalID)
	if m, ok := d.Users.Find(u.Manager); ok && m.State != model.UserDeleted {
		e.add("manager", dn(m))
	}
	if u.State != model.UserActive {
		e.add("description", string(u.State))
	}
	return e
}

// groupsOf gives the groups that have members, and the names of the others: those too that have none but such.
func groupsOf(
	d *model.Design, suffix string, person func(u *model.User) string, members func(group string) []string,
) (out []entry, empty []string) {
	has := map[string][]string{} // people in each group, by their names in the directory
	for _, g := range d.Groups {
		users := g.Users
		if g.Type == model.Rule && members != nil {
			users = members(g.ID)
		}
		for _, id := range users {
			if u, ok := d.Users.Find(id); ok && u.State != model.UserDeleted {
				has[g.ID] = append(has[g.ID], person(u))
			}
		}
	}
	said := map[string]bool{} // groups that have members, or nest one that has
	var saying func(id string) bool
	saying = func(id string) bool {
		if is, known := said[id]; known {
			return is
		}
		g, ok := d.Groups.Find(id)
		is := ok && len(has[id]) > 0
		for i := 0; ok && i < len(g.Groups); i++ {
			is = saying(g.Groups[i]) || is
		}
		said[id] = is
		return is
	}
	names, dn := map[string]bool{}, map[string]string{}
	nameOf := map[string]string{}
	for _, g := range d.Groups {
		name := strings.TrimSpace(g.Name)
		if names[model.Fold(name)] { // names in a directory are told apart without case
			name += " (" + g.ID + ")"
		}
		names[model.Fold(name)] = true
		nameOf[g.ID], dn[g.ID] = name, "cn="+ldap.EscapeDN(name)+",ou=groups,"+suffix
	}
	for _, g := range d.Groups {
		if !saying(g.ID) {
			empty = append(empty, g.Name)
			continue
		}
		list := has[g.ID]
		for _, c := range g.Groups {
			if saying(c) {
				list = append(list, dn[c])
			}
		}
		e := entry{dn: dn[g.ID]}
		e.add("objectClass", "top", "groupOfNames")
		e.add("cn", nameOf[g.ID])
		e.add("description", g.Description)
		e.add("member", list...)
		out = append(out, e)
	}
	return out, empty
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
