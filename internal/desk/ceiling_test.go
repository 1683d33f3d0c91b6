package desk_test

import (
	"strings"
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/ask"
)

func TestCeilingsOfTheDemo(t *testing.T) {
	d, _ := openDemo(t)
	c := must[*ask.CeilingSheet](t)(d.Ceiling(signe, "keepers-whole", ""))
	if c.Of.ID != "aino.brackwater" || len(c.Delegates) < 10 || c.Beyond != 2 || c.Unlimited != "" {
		t.Fatalf("the ceiling is %+v", c)
	}
	brick := c.Panels[0].Courses[0].Bricks[0]
	if brick.How != "beyond" || brick.Ways[0].How != "beyond" || len(brick.Ways[0].Steps) != 1 ||
		brick.Ways[0].Steps[0].Delegation.ID != "keepers-whole" {
		t.Errorf("the first brick is %+v", brick)
	}
	said := ""
	for _, p := range brick.Ways[0].Steps[0].Said {
		said += p.Text
	}
	if said != "Aino Brackwater puts Dragan Juhlsen into Berth office" {
		t.Errorf("the step reads %q", said)
	}
	// An owner has none, by whatever else they are a delegate.
	if c := must[*ask.CeilingSheet](t)(d.Ceiling(signe, "keepers-whole", "signe.halloran")); c.Unlimited == "" {
		t.Errorf("the ceiling of an owner is %+v", c)
	}
	// It is told of whoever it is asked of who is one of them, and of nobody else.
	_, err := d.Ceiling(signe, "keepers-whole", "noor.tamsin")
	refused(t, err, desk.NotFound, "delegated to nobody")
	_, err = d.CeilingOf(signe, "ghost")
	refused(t, err, desk.NotFound, "no person")
	if c := must[*ask.CeilingSheet](t)(d.CeilingOf(signe, "noor.tamsin")); len(c.Panels) != 0 || c.Beyond != 0 {
		t.Errorf("the ceiling of somebody to whom nothing is delegated is %+v", c)
	}
}

// Ceilings tell of people all over the design, so delegates are told of none, not of their own.
func TestADelegateSeesNoCeiling(t *testing.T) {
	d, _ := openDemo(t)
	ruben := desk.Actor{User: "ruben.adeyemi"}
	g, _ := d.Design().Delegations.Find("north-harbour-people")
	for name, ask := range map[string]func() error{
		"of a delegation": func() error { return second(d.Ceiling(ruben, g.ID, "")) },
		"of a person":     func() error { return second(d.CeilingOf(ruben, "ruben.adeyemi")) },
		"tried":           func() error { return second(d.TryCeiling(ruben, g)) },
		"lowered":         func() error { return second(d.Lower(ruben, "ruben.adeyemi")) },
		"of a draft":      func() error { return second(d.Rises(ruben)) },
	} {
		if err := ask(); err == nil || !strings.Contains(err.Error(), "right") {
			t.Errorf("a ceiling %s is told to a delegate: %v", name, err)
		}
	}
}

// What is tried is what comes of the same delegation once it is drafted.
func TestTriedAndDraftedCeilingsAreTheSame(t *testing.T) {
	d, _ := openDemo(t)
	g := &model.Delegation{
		Name: "The tower chooses the berth office", Delegate: model.Subject{User: "noor.tamsin"},
		People: model.People{Area: "terminal-1"}, Actions: []string{"membership"}, Groups: []string{"berth-office"},
		GroupsWhole: true,
	}
	tried := must[*ask.CeilingSheet](t)(d.TryCeiling(signe, g))
	if tried.Beyond == 0 {
		t.Fatalf("tried, the ceiling is %+v", tried)
	}
	if rises := must[[]ask.Rise](t)(d.Rises(signe)); len(rises) != 0 {
		t.Errorf("without a draft there rise %v", rises)
	}
	must[*desk.Draft](t)(d.Put(signe, nil, g))
	drafted := must[*ask.CeilingSheet](t)(d.CeilingOf(signe, "noor.tamsin"))
	rises := must[[]ask.Rise](t)(d.Rises(signe))
	if drafted.Beyond != tried.Beyond || len(rises) != 1 || rises[0].After != tried.Beyond || rises[0].Before != 0 ||
		rises[0].Delegate.ID != "noor.tamsin" {
		t.Errorf("tried %d, drafted %d, rises %+v", tried.Beyond, drafted.Beyond, rises)
	}
	lower := must[[]ask.Lowering](t)(d.Lower(signe, "noor.tamsin"))
	if len(lower) == 0 || lower[0].Left != 0 {
		t.Errorf("it is lowered by %+v", lower)
	}
}
