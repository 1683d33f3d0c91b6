package intake

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"fachwerk/internal/core/model"
)

// How days are written that have a number first and no name of a month.
const (
	DayFirst   = "day-first"
	MonthFirst = "month-first"
)

// forms are how instants and days are written that can be read in one way only.
var forms = []string{
	time.RFC3339,
	"2006-01-02T15:04:05",
	"2006-01-02 15:04:05",
	"2006-01-02 15:04",
	time.DateOnly,
	"2 January 2006",
	"2 Jan 2006",
	"2. January 2006",
	"2-Jan-2006",
	"January 2, 2006",
	"Jan 2, 2006",
	"2006/01/02",
	"20060102150405Z",
	"20060102",
}

// twoWays is a day, and perhaps a time, of which it cannot be seen alone whether the day or the month comes first.
var twoWays = regexp.MustCompile(`^(\d{1,2})([./-])(\d{1,2})([./-])(\d{4})(?:[ T](\d{1,2}:\d{2})(?::\d{2})?)?$`)

// order is how the days of a column are written.
type order struct {
	first string // DayFirst or MonthFirst, as a value shows or as it was said; empty: it cannot be seen
	both  bool   // one value shows the one, another the other
}

// orderOf looks through the column of a field for a value that shows how its days are written.
func (t *trying) orderOf(field string) (o order) {
	if _, has := t.at[field]; !has {
		return o
	}
	days, months, open := false, false, false
	for i := range t.rows {
		if m := twoWays.FindStringSubmatch(t.raw(i, field)); m != nil && m[2] == m[4] {
			first, _ := strconv.Atoi(m[1])
			second, _ := strconv.Atoi(m[3])
			open = open || m[2] != "."
			days, months = days || first > 12 && second <= 12, months || second > 12 && first <= 12
		}
	}
	switch {
	case days && months:
		return order{both: true}
	case days:
		return order{first: DayFirst}
	case months:
		return order{first: MonthFirst}
	}
	t.trial.TwoWays = t.trial.TwoWays || open
	return order{first: t.o.Days}
}

// instant reads an instant; a day is its beginning in UTC. Where neither the column nor whoever brings the file in
// tells whether days or months come first, a day that can be two is refused; but with dots between, the day comes
// first.
func (o order) instant(text string) (time.Time, error) {
	text = strings.TrimSpace(text)
	if m := twoWays.FindStringSubmatch(text); m != nil && m[2] == m[4] {
		first, second := m[1], m[3]
		one, _ := strconv.Atoi(first)
		other, _ := strconv.Atoi(second)
		how := o.first
		switch {
		case one > 12 || one == other:
			how = DayFirst
		case other > 12:
			how = MonthFirst
		case o.both:
			return time.Time{}, fmt.Errorf("“%s” can be two days, and the column has days written both ways: write it like "+
				"2026-01-31", text)
		case how == "" && m[2] == ".":
			how = DayFirst
		case how == "":
			return time.Time{}, fmt.Errorf("“%s” can be two days: say whether the day or the month comes first, or write it "+
				"like 2026-01-31", text)
		}
		if how == MonthFirst {
			first, second = second, first
		}
		clock := m[6]
		if clock == "" {
			clock = "0:00"
		}
		at, err := time.Parse("2/1/2006 15:04", first+"/"+second+"/"+m[5]+" "+clock)
		return within(text, at, err)
	}
	for _, f := range forms {
		if at, err := time.Parse(f, text); err == nil {
			return within(text, at, nil)
		}
	}
	return within(text, time.Time{}, errors.New("no form fits"))
}

func within(text string, at time.Time, err error) (time.Time, error) {
	switch {
	case err != nil:
		return time.Time{}, fmt.Errorf("“%s” is no day like 2026-01-31 or 31.01.2026", text)
	case !model.InYears(at):
		return time.Time{}, fmt.Errorf("“%s” lies outside the years 1 to 9999", text)
	}
	return at.UTC(), nil
}

// instant reads an instant of which nothing else is known.
func instant(text string) (time.Time, error) { return order{}.instant(text) }

// qualification is one as a cell has it: a kind, and perhaps a level and a last day.
var qualification = regexp.MustCompile(`^(.*?)(?:\s+(\d+(?:\.\d+)?))?(?:\s+until\s+(.+))?$`)

// qualifications takes over what a row says of somebody's qualifications.
func (t *trying) qualifications(i int, u *model.User) {
	if !t.says(i, "qualifications") {
		return
	}
	var list []model.Qualification
	for _, text := range split(t.cell(i, "qualifications")) {
		m := qualification.FindStringSubmatch(text)
		q := model.Qualification{Type: strings.TrimSpace(m[1])}
		if m[2] != "" {
			level, _ := strconv.ParseFloat(m[2], 64)
			q.Level = &level
		}
		if m[3] != "" {
			at, err := instant(m[3])
			if err != nil {
				t.wrong(i, "qualifications", text, err)
				continue
			}
			q.Until = at
		}
		if q.Type == "" {
			t.wrong(i, "qualifications", text, errors.New("the qualification has no kind"))
			continue
		}
		list = append(list, q)
	}
	if before, after := Qualified(u.Qualifications), Qualified(list); t.differs(i, "qualifications", before, after) {
		u.Qualifications = list
	}
}

// Qualified writes qualifications as a cell has them.
func Qualified(list []model.Qualification) string {
	var out []string
	for _, q := range list {
		text := q.Type
		if q.Level != nil {
			text += " " + strconv.FormatFloat(*q.Level, 'f', -1, 64)
		}
		if !q.Until.IsZero() {
			text += " until " + day(q.Until)
		}
		out = append(out, text)
	}
	slices.Sort(out)
	return strings.Join(out, "; ")
}
