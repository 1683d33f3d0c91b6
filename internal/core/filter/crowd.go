package filter

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/bits-and-blooms/bitset"
)

// Crowd is many people, arranged so that filters find theirs without looking at each: what a comparison says
// depends on one attribute only, so it is asked once for all who have the same there. Any number of goroutines may ask
// it at once.
type Crowd struct {
	people  []*Person
	classes sync.Map     // of attributes: a func() []class, which makes them when it is first called
	said    sync.Map     // of comparisons: the places of the classes that they match
	answers atomic.Int32 // how many are in said
	spare   sync.Pool    // of *bitset.BitSet
}

// class is those people who have the same in an attribute.
type class struct {
	one     *Person
	members []uint32
	many    *bitset.BitSet // the members too, if they are so many that to join them one by one would take longer
}

// What comparisons match is kept of so many at most, of attributes with so many classes at most.
const (
	mostAnswers = 4096
	mostClasses = 8192
)

// NewCrowd makes a crowd of people, who must not change any more.
func NewCrowd(people []*Person) *Crowd {
	return &Crowd{people: people}
}

// Arrange arranges the people by some attributes, which filters that compare these would otherwise wait for.
func (c *Crowd) Arrange(attributes ...string) {
	for _, a := range attributes {
		c.of(a)
	}
}

// Match gives the places of the people whom the filter matches, as [Filter.Match] tells it of each.
func (c *Crowd) Match(f *Filter) *bitset.BitSet { return c.match(f.root) }

// Each calls do with the place of each of the people whom the filter matches, in order.
func (c *Crowd) Each(f *Filter, do func(i int)) {
	found := c.match(f.root)
	defer c.spare.Put(found)
	for i, ok := found.NextSet(0); ok; i, ok = found.NextSet(i + 1) {
		do(int(i))
	}
}

func (c *Crowd) match(n node) *bitset.BitSet {
	switch n := n.(type) {
	case and:
		left := c.match(n.left)
		if left.None() {
			return left
		}
		right := c.match(n.right)
		defer c.spare.Put(right)
		left.InPlaceIntersection(right)
		return left
	case or:
		left, right := c.match(n.left), c.match(n.right)
		defer c.spare.Put(right)
		left.InPlaceUnion(right)
		return left
	case not:
		out := c.match(n.inner)
		out.FlipRange(0, uint(len(c.people)))
		return out
	}
	out := c.none()
	classes := c.of(attributeOf(n))
	for _, k := range c.matched(n, classes) {
		if k := &classes[k]; k.many != nil {
			out.InPlaceUnion(k.many)
		} else {
			for _, i := range k.members {
				out.Set(uint(i))
			}
		}
	}
	return out
}

// none gives an empty set, as long as there are people.
func (c *Crowd) none() *bitset.BitSet {
	if b, ok := c.spare.Get().(*bitset.BitSet); ok {
		return b.ClearAll()
	}
	return bitset.New(uint(len(c.people)))
}

// matched gives the places of the classes that a node matches which looks at their attribute alone.
func (c *Crowd) matched(n node, classes []class) []int32 {
	find := func() (out []int32) {
		for k := range classes {
			if n.match(classes[k].one, nil) {
				out = append(out, int32(k))
			}
		}
		return out
	}
	if _, is := n.(compare); !is || len(classes) > mostClasses {
		return find()
	}
	if said, ok := c.said.Load(n); ok {
		return said.([]int32)
	}
	out := find()
	if c.answers.Add(1) <= mostAnswers {
		c.said.Store(n, out)
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
