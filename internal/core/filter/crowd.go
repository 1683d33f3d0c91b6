package filter

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"github.com/bits-and-blooms/bitset"
)

// Crowd is many people, arranged so that filters find theirs without looking at each: what a comparison says
// depends on one attribute only, so it is asked once for all who have the same there. Any number of goroutines may ask
// it at once.
type Crowd struct {
	people  []*Person
	classes sync.Map // of attributes: a func() []class, which makes them when it is first called
}

// class is those people who have the same in an attribute.
type class struct {
	one     *Person
	members []uint32
	many    *bitset.BitSet // the members too, if they are so many that to join them one by one would take longer
}

// NewCrowd makes a crowd of people, who must not change any more.
func NewCrowd(people []*Person) *Crowd {
	return &Crowd{people: people}
}

// Match gives the places of the people whom the filter matches, as [Filter.Match] tells it of each.
func (c *Crowd) Match(f *Filter) *bitset.BitSet { return c.match(f.root) }

func (c *Crowd) match(n node) *bitset.BitSet {
	switch n := n.(type) {
	case and:
		left := c.match(n.left)
		if left.None() {
			return left
		}
		left.InPlaceIntersection(c.match(n.right))
		return left
	case or:
		left := c.match(n.left)
		left.InPlaceUnion(c.match(n.right))
		return left
	case not:
		return c.match(n.inner).Complement()
	}
	out := bitset.New(uint(len(c.people)))
	for _, k := range c.of(attributeOf(n)) {
		switch {
		case !n.match(k.one, nil):
		case k.many != nil:
			out.InPlaceUnion(k.many)
		default:
			for _, i := range k.members {
				out.Set(uint(i))
			}
		}
	}
	return out
}

// Attributes gives the names of the attributes of people that a filter looks at, each once.
func (f *Filter) Attributes() (out []string) {
	var visit func(n node)
	visit = func(n node) {
		switch n := n.(type) {
		case and:
			visit(n.left)
			visit(n.right)
		case or:
			visit(n.left)
			visit(n.right)
		case not:
			visit(n.inner)
		default:
			if name := attributeOf(n); !slices.Contains(out, name) {
				out = append(out, name)
			}
		}
	}
	visit(f.root)
	return out
}

// attributeOf names the one attribute that a node which joins no others looks at.
func attributeOf(n node) string {
	name := ""
	switch n := n.(type) {
	case present:
		name = n.attr.name
	case compare:
		name = n.attr.name
	case valuePath:
		if name = "qualifications"; n.values != nil {
			name = "emails"
		}
	}
	main, _, _ := strings.Cut(name, ".")
	return main
}

func (c *Crowd) of(attribute string) []class {
	made, ok := c.classes.Load(attribute)
	if !ok {
		made, _ = c.classes.LoadOrStore(attribute, sync.OnceValue(func() []class { return c.classify(attribute) }))
	}
	return made.(func() []class)()
}

func (c *Crowd) classify(attribute string) (list []class) {
	at := map[string]int{}
	for i, p := range c.people {
		key := content(p, attribute)
		k, ok := at[key]
		if !ok {
			k = len(list)
			at[key], list = k, append(list, class{one: p})
		}
		list[k].members = append(list[k].members, uint32(i))
	}
	for k := range list {
		if len(list[k].members) > len(c.people)/64 {
			list[k].many = bitset.New(uint(len(c.people)))
			for _, i := range list[k].members {
				list[k].many.Set(uint(i))
			}
		}
	}
	return list
}

// content is a text that is the same for people who have the same in an attribute.
func content(p *Person, attribute string) string {
	switch attribute {
	case "id":
		return p.ID
	case "userName":
		return p.UserName
	case "displayName":
		return p.DisplayName
	case "emails":
		return p.Email
	case "title":
		return p.Title
	case "department":
		return p.Department
	case "userType":
		return p.UserType
	case "active":
		if p.Active {
			return "true"
		}
		return ""
	case "manager":
		return p.Manager
	case "area":
		return p.Area
	case "state":
		return p.State
	case "licences":
		return strings.Join(p.Licences, "\x00")
	}
	// Qualifications.
	if len(p.Qualifications) == 0 {
		return ""
	}
	var b strings.Builder
	for _, q := range p.Qualifications {
		b.WriteString(q.Type)
		if q.Level != nil {
			fmt.Fprint(&b, "\x00", *q.Level)
		}
		fmt.Fprint(&b, "\x00\x00", q.Until.Unix(), " ", q.Until.Nanosecond(), "\x00\x00\x00")
	}
	return b.String()
}
