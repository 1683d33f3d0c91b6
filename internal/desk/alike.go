package desk

import (
	"strings"

	"github.com/mtibben/confusables"
	"golang.org/x/text/unicode/norm"

	"fachwerk/internal/core/model"
)

// alike tells which user names the change gives that look like those of others (Unicode UTS #39, §4): to whom a name is
// shown, one passes for the other. Names in plain ASCII are told apart by people every day, so one of the two must have
// something else in it.
func (c *checked) alike() (out []said) {
	type named struct{ id, name string }
	var given []named
	plain := true // all that are given
	for _, o := range c.Ops {
		was, _ := o.Before.(*model.User)
		is, ok := o.After.(*model.User)
		if ok && is.State != model.UserDeleted && (was == nil || was.UserName != is.UserName) {
			given = append(given, named{is.ID, is.UserName})
			plain = plain && isASCII(is.UserName)
		}
	}
	if len(given) == 0 {
		return nil
	}
	by := map[string][]named{} // by what they look like
	for _, u := range c.After.Users {
		if u.State != model.UserDeleted && (!plain || !isASCII(u.UserName)) {
			like := looks(u.UserName)
			by[like] = append(by[like], named{u.ID, u.UserName})
		}
	}
	for _, g := range given {
		for _, other := range by[looks(g.name)] {
			if other.id != g.id && (!isASCII(g.name) || !isASCII(other.name)) {
				out = append(out, of(model.KindUser, g.id, "The user name “"+g.name+"” looks like “"+other.name+
					"”, which is somebody else’s: choose one that nobody takes for it."))
				break
			}
		}
	}
	return out
}

// looks is the same of names that look alike, in whatever width or case.
func looks(name string) string {
	return confusables.Skeleton(strings.ToLower(norm.NFKC.String(name)))
}

func isASCII(s string) bool { return strings.IndexFunc(s, func(r rune) bool { return r > 127 }) < 0 }
