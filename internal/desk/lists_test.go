package desk_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/generate"
)

// Whatever changes about people from house to house, the list that is taken over from the house before is the one that
// would be made anew, also where houses in between made none.
func TestPeopleTakenOverAreListedAsNew(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	h := &desk.House{Index: index.Compile(generate.Design(generate.Options{Users: 300, Seed: 1}))}
	h.Entries(model.KindUser)
	taken := 0
	for round := range 60 {
		d := h.Design()
		var edits []model.Edit
		seen := map[string]bool{}
		for range 1 + r.IntN(5) {
			u := model.Clone(d.Users[r.IntN(len(d.Users))])
			switch r.IntN(5) {
			case 0:
				u.ID, u.DisplayName = fmt.Sprintf("%c%d-%d", 'a'+r.IntN(26), round, r.IntN(9)),
					fmt.Sprintf("Newcomer %d", r.IntN(9))
				u.UserName = u.ID
			case 1:
				u.DisplayName = fmt.Sprintf("Zoë %d", r.IntN(9))
			case 2:
				u.State = model.UserDeleted
			case 3:
				u.State, u.Department = model.UserActive, "Elsewhere"
			}
			if !seen[u.ID] {
				seen[u.ID] = true
				edits = append(edits, model.Edit{Kind: model.KindUser, ID: u.ID, After: u})
			}
		}
		if gone := d.Users[r.IntN(len(d.Users))]; !seen[gone.ID] && round%7 == 0 {
			edits = append(edits, model.Edit{Kind: model.KindUser, ID: gone.ID})
		}
		if round%11 == 0 { // as areas lie elsewhere, everybody is listed anew
			a := model.Clone(d.Areas[len(d.Areas)-1])
			a.Name += " again"
			edits = append(edits, model.Edit{Kind: model.KindArea, ID: a.ID, After: a})
		}
		next, takesOver := desk.Next(&desk.House{Index: h.Index.Update(d.With(edits))}, h)
		h = next
		if round%3 == 0 {
			continue
		}
		if takesOver {
			taken++
		}
		got, want := h.Entries(model.KindUser), (&desk.House{Index: h.Index}).Entries(model.KindUser)
		if !slices.Equal(got, want) {
			t.Fatalf("after %d rounds the list of %d people is not that of %d", round, len(got), len(want))
		}
	}
	if taken < 20 {
		t.Errorf("only %d lists were taken over", taken)
	}
}

// What is typed finds names before words within them, and those before what only notes say.
func TestScore(t *testing.T) {
	for _, c := range []struct {
		name, typed string
		want        int
	}{
		{"Gate Control", "gate control", 5},
		{"Something else", "u-7", 5}, // its id
		{"Gate Control", "gate con", 4},
		{"Gate Control", "con gate", 3},
		{"Nora O’Brien", "brien", 3},
		{"Über-Ort", "ort", 3},
		{"Ronda Sørensen-Ronsen", "ron", 4},
		{"Sarona Ronsen", "ron", 3}, // within one part, and the beginning of another
		{"Navigate", "gate", 2},
		{"Control Navigate", "gate con", 2},
		{"Control", "gate", 1},
		{"Control", "con gate", 1},
	} {
		e := desk.Entry{Node: index.Node{ID: "U-7"}, Name: c.name, Sort: model.Fold(c.name)}
		if got := e.Score(strings.Fields(c.typed)); got != c.want {
			t.Errorf("“%s” fits %s by %d, want %d", c.typed, c.name, got, c.want)
		}
	}
}
