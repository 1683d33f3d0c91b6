package review_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/core/use"
)

// What is suggested follows from what weighs more, and nothing is where it is even.
func TestSuggestions(t *testing.T) {
	ago := func(days int) time.Time { return now.AddDate(0, 0, -days) }
	for _, c := range []struct {
		e         review.Evidence
		says, why string
	}{
		{review.Evidence{}, "", ""},
		{review.Evidence{Used: true, LastUse: ago(90)}, "", ""},
		{review.Evidence{Used: true, LastUse: ago(91)}, "revoke", "They last used it 91 days ago."},
		{review.Evidence{Used: true, LastUse: ago(30)}, "keep", "They used it within the last 30 days."},
		{review.Evidence{Used: true, LastUse: ago(31)}, "", ""},
		{review.Evidence{Used: true, LastUse: ago(5), Conflicts: []string{"c"}}, "", ""},
		{
			review.Evidence{Used: true, LastUse: ago(5), Peers: 9, Alike: 9, Conflicts: []string{"c"}}, // never to be kept
			"", "",
		},
		{review.Evidence{Never: true}, "revoke", "They have never used it, though uses of its system are on record."},
		{review.Evidence{Never: true, Since: ago(30)}, "", ""},
		{review.Evidence{Never: true, Since: ago(31)}, "revoke",
			"They have never used it, though uses of its system are on record."},
		{review.Evidence{Used: true, LastUse: ago(100), Peers: 10, Alike: 5}, "", ""}, // idle, but half have it
		{
			review.Evidence{Used: true, LastUse: ago(181), Peers: 10, Alike: 2},
			"revoke", "They last used it 181 days ago.",
		},
		{review.Evidence{Peers: 21, Alike: 1}, "revoke", "Of 21 people with the same title and department, one has it."},
		{review.Evidence{Used: true, LastUse: ago(3), Peers: 20, Alike: 1}, "", ""}, // one in twenty is no outlier
		{review.Evidence{Peers: 3}, "", ""},
		{review.Evidence{Peers: 4, Alike: 2}, "keep", "Of 4 people with the same title and department, 2 have it."},
		{review.Evidence{Beside: true}, "revoke",
			"A group gives it as well, for as long and as wide, so nothing would be lost."},
		{
			review.Evidence{Revoked: time.Date(2025, 12, 1, 0, 0, 0, 0, time.UTC)},
			"revoke", "A review took it away on 1 December 2025, and it was given again.",
		},
	} {
		s, clear := c.e.Suggest(now)
		says := map[bool]string{true: "keep", false: "revoke"}[s.Keep]
		if !clear {
			says = ""
		}
		if says != c.says || s.Why != c.why {
			t.Errorf("of %+v is suggested %q since %q, want %q since %q", c.e, says, s.Why, c.says, c.why)
		}
	}
}

// What is given by hand beside a group is known by its terms: place, reach, mode and days.
func TestBesideAGroup(t *testing.T) {
	until := now.AddDate(0, 1, 0)
	for _, c := range []struct {
		name          string
		byHand, group model.Assignment
		beside        bool
	}{
		{"the same", model.Assignment{Area: "t1"}, model.Assignment{Area: "t1"}, true},
		{"a wider place", model.Assignment{Area: "t1"}, model.Assignment{Area: "top"}, true},
		{"another place", model.Assignment{Area: "t2"}, model.Assignment{Area: "t1"}, false},
		{"reading only", model.Assignment{Area: "t1"}, model.Assignment{Area: "t1", Mode: model.ReadOnly}, false},
		{"only reading by hand", model.Assignment{Area: "t1", Mode: model.ReadOnly}, model.Assignment{Area: "t1"}, true},
		{"another reach", model.Assignment{Area: "t1"}, model.Assignment{Area: "t1", Reach: model.ReachOwn}, false},
		{"shorter", model.Assignment{Area: "t1"}, model.Assignment{Area: "t1", Until: until}, false},
		{"as long", model.Assignment{Area: "t1", Until: until}, model.Assignment{Area: "t1", Until: until}, true},
	} {
		d := design(t)
		a, b := c.byHand, c.group
		a.ID, a.Subject, a.Role = "1", model.Subject{User: "ann"}, "r"
		b.ID, b.Subject, b.Role = "3", model.Subject{Group: "g"}, "r"
		d.Assignments = model.Table[*model.Assignment]{&a, &b}
		x := index.Compile(model.Build(d))
		e := review.NewScales(x, use.NewBook(), review.PostsOf(x, now), nil, now).
			Weigh(review.Item{User: "ann", Role: "r", Direct: []string{"1"}, Given: []string{"3"}})
		if e.Beside != c.beside {
			t.Errorf("%s: beside a group is %v", c.name, e.Beside)
		}
	}
}

// planted is an organisation in which it is known what each person should have: what belongs to their work, which
// most of them use, and here and there something of a former one that nobody took away.
func planted(seed uint64) (x *index.Index, uses *use.Book, excess map[string]bool, used time.Time) {
	const jobs, each, rolesOfJob = 30, 20, 3
	r := rand.New(rand.NewPCG(seed, 7))
	d := &model.Design{
		Organisation: &model.Organisation{Name: "Planted"},
		Areas:        model.Table[*model.Area]{{ID: "top", Name: "Top"}},
	}
	uses, excess = use.NewBook(), map[string]bool{}
	role := func(job, n int) string { return fmt.Sprintf("r%02d-%d", job, n) }
	for job := range jobs {
		for n := range rolesOfJob {
			system := "s" + role(job, n)
			key := system + ":record:open"
			d.Systems = append(d.Systems, &model.System{
				ID: system, Name: system, Permissions: []*model.Permission{{Key: key}},
			})
			d.Roles = append(d.Roles, &model.Role{ID: role(job, n), Name: role(job, n), Permissions: []string{key}})
		}
	}
	give := func(user, role string) {
		d.Assignments = append(d.Assignments, &model.Assignment{
			ID: fmt.Sprintf("a%05d", len(d.Assignments)), Subject: model.Subject{User: user}, Role: role,
		})
	}
	use1 := func(user, role string, days int) {
		uses.Note(use.Use{User: user, What: "s" + role, At: now.AddDate(0, 0, -days)})
	}
	for job := range jobs {
		for n := range each {
			id := fmt.Sprintf("p%02d-%02d", job, n)
			d.Users = append(d.Users, &model.User{
				ID: id, UserName: id, DisplayName: id, JobTitle: fmt.Sprint("Title ", job), Department: "D",
			})
			for k := range rolesOfJob {
				if r.IntN(10) == 0 { // not everybody has all that belongs to their work
					continue
				}
				give(id, role(job, k))
				switch r.IntN(10) {
				case 0: // on leave for long
					use1(id, role(job, k), 91+r.IntN(60))
				case 1: // never needed it yet
				default:
					use1(id, role(job, k), r.IntN(80))
				}
			}
			if r.IntN(6) == 0 { // a former work
				old := role((job+1+r.IntN(jobs-1))%jobs, r.IntN(rolesOfJob))
				give(id, old)
				excess[id+" "+old] = true
				switch r.IntN(10) {
				case 0: // now and then it is still used
					use1(id, old, r.IntN(80))
				case 1, 2:
				default:
					use1(id, old, 91+r.IntN(300))
				}
			}
		}
	}
	return index.Compile(model.Build(d)), uses, excess, now
}

// Against planted truth, what is suggested to be revoked was too much in nine of ten, what was too much is found in
// nine of ten, and what is suggested to be kept belongs to the work in 99 of a hundred.
func TestSuggestionsAgreeWithWhatWasPlanted(t *testing.T) {
	var revoke, rightly, keep, wrongly, too, all int
	for seed := range uint64(5) {
		x, uses, excess, at := planted(seed)
		items, _ := review.Items(x, review.Scope{}, review.Facts{}, at, nil)
		scales := review.NewScales(x, uses, review.PostsOf(x, at), duty.All(x, at), at)
		all, too = all+len(items), too+len(excess)
		for _, i := range items {
			s, clear := scales.Weigh(i).Suggest(at)
			planted := excess[i.User+" "+i.Role]
			switch {
			case clear && s.Keep:
				keep++
				if planted {
					wrongly++
				}
			case clear:
				revoke++
				if planted {
					rightly++
				}
			}
		}
	}
	t.Logf("of %d items, %d of them too much: %d suggested to be revoked, %d rightly; %d to be kept, %d wrongly",
		all, too, revoke, rightly, keep, wrongly)
	if rightly*10 < revoke*9 || rightly*10 < too*9 || wrongly*100 > keep || revoke+keep < all*3/4 {
		t.Errorf("of %d items, %d of them too much: %d suggested to be revoked, %d rightly; %d to be kept, %d wrongly",
			all, too, revoke, rightly, keep, wrongly)
	}
}
