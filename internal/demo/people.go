package demo

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"fachwerk/internal/core/model"
)

// areas of the harbour: id, name, kind, parent.
var areaRows = [][4]string{
	{"skerryhaven", "Skerryhaven", "organisation", ""},
	{
		"north-harbour",
		"North Harbour",
		"site",
		"skerryhaven",
	}, {"terminal-1", "Terminal 1", "terminal", "north-harbour"},
	{"terminal-2", "Terminal 2", "terminal", "north-harbour"}, {"ro-ro-ramp", "Ro-ro Ramp", "terminal", "north-harbour"},
	{
		"south-harbour",
		"South Harbour",
		"site",
		"skerryhaven",
	}, {"container-yard", "Container Yard", "terminal", "south-harbour"},
	{"bulk-quay", "Bulk Quay", "terminal", "south-harbour"}, {"cold-store", "Cold Store", "terminal", "south-harbour"},
	{
		"ferries",
		"Ferries",
		"division",
		"skerryhaven",
	}, {"inner-isles", "Inner Isles Line", "line", "ferries"}, {"ms-kittiwake", "MS Kittiwake", "vessel", "inner-isles"},
	{"ms-dunlin", "MS Dunlin", "vessel", "inner-isles"}, {"ms-turnstone", "MS Turnstone", "vessel", "inner-isles"},
	{
		"outer-isles",
		"Outer Isles Line",
		"line",
		"ferries",
	}, {"ms-gannet", "MS Gannet", "vessel", "outer-isles"}, {"ms-fulmar", "MS Fulmar", "vessel", "outer-isles"},
	{
		"harbour-master",
		"Harbour Master",
		"division",
		"skerryhaven",
	}, {"traffic-tower", "Traffic Tower", "office", "harbour-master"}, {"pilots", "Pilots", "office", "harbour-master"},
	{
		"head-office",
		"Head Office",
		"division",
		"skerryhaven",
	}, {"finance", "Finance", "office", "head-office"}, {"people-office", "People", "office", "head-office"},
	{"it", "IT", "office", "head-office"},
}

// staff says how many people each area has, and their titles: the first is the manager, the second the shift leads
// (one in twelve), the others in turn.
var staff = []struct {
	area, department string
	people           int
	titles           []string
}{
	{"head-office", "Direction", 6, []string{"Harbour director", "Deputy director", "Secretary", "Planner"}},
	{"north-harbour", "North Harbour", 8, []string{"Manager of North Harbour", "Deputy manager", "Berth planner"}},
	{
		"terminal-1",
		"North Harbour",
		62,
		[]string{
			"Terminal manager",
			"Shift lead",
			"Gate clerk",
			"Quay hand",
			"Crane driver",
			"Gate clerk",
			"Berth planner",
		},
	},
	{
		"terminal-2",
		"North Harbour",
		40,
		[]string{"Terminal manager", "Shift lead", "Gate clerk", "Quay hand", "Crane driver"},
	},
	{"ro-ro-ramp", "North Harbour", 31, []string{"Ramp manager", "Shift lead", "Ramp hand", "Gate clerk", "Ramp hand"}},
	{"south-harbour", "South Harbour", 8, []string{"Manager of South Harbour", "Deputy manager", "Yard planner"}},
	{
		"container-yard",
		"South Harbour",
		58,
		[]string{
			"Yard manager",
			"Shift lead",
			"Crane driver",
			"Yard hand",
			"Manifest clerk",
			"Crane driver",
			"Maintenance fitter",
		},
	},
	{
		"bulk-quay",
		"South Harbour",
		30,
		[]string{"Quay manager", "Shift lead", "Quay hand", "Crane driver", "Manifest clerk"},
	},
	{"cold-store", "South Harbour", 22, []string{"Store manager", "Shift lead", "Store hand", "Manifest clerk"}},
	{
		"ferries",
		"Ferries",
		14,
		[]string{"Head of Ferries", "Ticketing deputy", "Ticket clerk", "Refund clerk", "Ticket clerk"},
	},
	{"ms-kittiwake", "Ferries", 12, []string{"Master", "Mate", "Deckhand", "Purser"}},
	{"ms-dunlin", "Ferries", 12, []string{"Master", "Mate", "Deckhand", "Purser"}},
	{"ms-turnstone", "Ferries", 12, []string{"Master", "Mate", "Deckhand", "Purser"}},
	{"ms-gannet", "Ferries", 12, []string{"Master", "Mate", "Deckhand", "Purser"}},
	{"ms-fulmar", "Ferries", 12, []string{"Master", "Mate", "Deckhand", "Purser"}},
	{"traffic-tower", "Harbour Master", 18, []string{"Harbour master", "Watch lead", "Traffic officer"}},
	{"pilots", "Harbour Master", 11, []string{"Chief pilot", "Senior pilot", "Pilot"}},
	{"finance", "Finance", 20, []string{"Head of Finance", "Payments lead", "Invoice clerk", "Buyer", "Bookkeeper"}},
	{"people-office", "People", 14, []string{"Head of People", "Roster lead", "Roster planner", "Training officer"}},
	{"it", "IT", 18, []string{"Head of IT", "Service desk lead", "Service desk", "System keeper"}},
}

var givenNames = strings.Fields(
	`Ingrid Tomasz Hadiza Olav Pavel Saoirse Kofi Yara Bram Amara Ximena Dagny Ilja Farida Joost Keziah Leif Marisol Nandi Orsolya Piotr Quirin Rukmini Sven Tove Umut Vesna Wanjiru Yusuf Zofia Aino Bashir Citlali Deniz Eilidh Femi Gwenllian Hiroko Imre Jana Kaito Lumi Mateus Nils Oluchi Petra Rafiq Solveig Tariq Ulla Viggo Wren Yelena Zoltan Anouk Birgitta Caoimhe Dragan Esperance Finn`,
)

var familyNames = strings.Fields(
	`Valderhaug Oyelaran Quenby Brisk Idris Lind Marlowe Denholm Ostrov Kestrel Nakawa Sundby Farrow Okonedo Thorsby Vasari Wexley Amadi Birkeland Corvane Dalgaard Ekholm Fairweather Grimstad Halvorsby Ishikari Jernvall Karimova Lindqvale Moravec Nyberget Okpara Pellworm Qasimi Rosenvik Skarland Tannahill Ukwu Vinterberg Wolnik Yamadera Zielony Aldanov Brackwater Cairnduff Drosos Eriksrud Fjordane Gallowmoor Hesketh Inverlyne Juhlsen Kvitland Lorcan Mbeki-Rowe Noordzij Ormsby Pettersvold`,
)

// cast are people with a part in the demo: id, name, title, area, place in the staff list (0: the manager).
var cast = []struct {
	id, name, title, area string
	place                 int
}{
	{"signe.halloran", "Signe Halloran", "Access administrator", "it", 2},
	{"ruben.adeyemi", "Ruben Adeyemi", "Manager of North Harbour", "north-harbour", 0},
	{"lucia.fenwick", "Lucia Fenwick", "Ticketing lead", "ferries", 1},
	{"mireille.aster", "Mireille Aster", "Shift lead", "terminal-1", 1},
	{"oona.brandvold", "Oona Brandvold", "Auditor", "head-office", 3},
	{"tomasz.oyelaran", "Tomasz Oyelaran", "Gate clerk", "terminal-1", 10},
	{"noor.tamsin", "Noor Tamsin", "Gate clerk", "terminal-2", 5},
	{"edda.rosenvik", "Edda Rosenvik", "Head of IT", "it", 0},
	{"ansgar.kvitland", "Ansgar Kvitland", "Crane driver", "container-yard", 9},
	{"halima.corvane", "Halima Corvane", "Payments lead", "finance", 1},
}

// people makes everybody. Within an area, shift leads report to the manager, the others to a shift lead in turn.
func people(r *rand.Rand, today time.Time) (out []*model.User) {
	taken := map[string]bool{}
	special := map[string]int{}
	for i, c := range cast {
		special[fmt.Sprintf("%s/%d", c.area, c.place)] = i
		taken[c.id] = true
	}
	managers := map[string]string{}
	parent := map[string]string{}
	for _, a := range areaRows {
		parent[a[0]] = a[3]
	}
	n := 0
	for _, s := range staff {
		var leads []string
		leadCount := max(1, s.people/12)
		for i := range s.people {
			u := &model.User{Department: s.department, Area: s.area, UserType: "employee", Source: model.Directory}
			title := s.titles[0]
			switch {
			case i == 0:
			case i <= leadCount:
				title = s.titles[1]
			default:
				title = s.titles[2+i%(len(s.titles)-2)]
			}
			u.JobTitle = title
			if c, ok := special[fmt.Sprintf("%s/%d", s.area, i)]; ok {
				u.ID, u.DisplayName, u.JobTitle = cast[c].id, cast[c].name, cast[c].title
			} else {
				for u.ID == "" || taken[u.ID] {
					given, family := givenNames[r.IntN(len(givenNames))], familyNames[r.IntN(len(familyNames))]
					u.DisplayName = given + " " + family
					u.ID = strings.ToLower(given + "." + family)
				}
			}
			taken[u.ID] = true
			n++
			u.UserName, u.Email, u.ExternalID = u.ID, u.ID+"@skerryhaven.example", fmt.Sprintf("hr-%04d", n)
			switch {
			case i == 0:
				managers[s.area] = u.ID
				for p := parent[s.area]; p != ""; p = parent[p] {
					if managers[p] != "" {
						u.Manager = managers[p]
						break
					}
				}
				if u.Manager == "" && s.area != "head-office" {
					u.Manager = managers["head-office"]
				}
			case i <= leadCount:
				u.Manager = managers[s.area]
				leads = append(leads, u.ID)
			default:
				u.Manager = leads[i%len(leads)]
			}
			qualify(u, i, today)
			out = append(out, u)
		}
	}
	return out
}

func qualify(u *model.User, i int, today time.Time) {
	level := func(l float64) *float64 { return &l }
	switch u.JobTitle {
	case "Crane driver":
		until := today.AddDate(0, 3+i%20, 0)
		if i%7 == 0 {
			until = today.AddDate(0, -1, 0) // a certificate that has run out
		}
		u.Qualifications = []model.Qualification{{Type: "crane", Level: level(float64(1 + i%5)), Until: until}}
	case "Pilot", "Senior pilot", "Chief pilot":
		u.Qualifications = []model.Qualification{
			{Type: "pilotage", Level: level(float64(2 + i%3)), Until: today.AddDate(1, i%6, 0)},
		}
	case "Master", "Mate":
		u.Qualifications = []model.Qualification{
			{Type: "deck", Level: level(float64(3 + i%2))},
			{Type: "radio", Level: level(1), Until: today.AddDate(0, 9+i, 0)},
		}
	case "Manifest clerk":
		u.Qualifications = []model.Qualification{
			{Type: "dangerous goods", Level: level(float64(1 + i%2)), Until: today.AddDate(0, 5+i%10, 0)},
		}
	}
}

// unusedSeats is how many seats somebody holds without having used the system for ninety days.
const unusedSeats = 11

// temper gives some people the states, validities and licences that real life gives.
func temper(users []*model.User, today time.Time) {
	counts := map[string]int{}
	unusedLeft := unusedSeats
	for i, u := range users {
		old := today.AddDate(0, 0, -1-i%40)
		u.LastUse = map[string]time.Time{"crewtide": old.Add(time.Duration(6+i%12) * time.Hour)}
		give := func(licence, system string, unused bool) {
			u.Licences = append(u.Licences, licence)
			if unused && unusedLeft > 0 {
				unusedLeft--
				u.LastUse[system] = today.AddDate(0, 0, -95-i%60)
			} else {
				u.LastUse[system] = old
			}
		}
		t := u.JobTitle
		counts[t]++
		switch {
		case t == "Gate clerk" || t == "Shift lead":
			give("quaybook-standard", "quaybook", counts[t]%9 == 0)
		case strings.Contains(t, "planner") || strings.HasPrefix(t, "Manager") || strings.HasSuffix(t, "manager") ||
			t == "Deputy manager":
			give("quaybook-planner", "quaybook", false)
		}
		switch {
		case t == "Manifest clerk" || t == "Yard manager" || t == "Quay manager" || t == "Store manager" ||
			t == "Terminal manager":
			give("ladingbook-seat", "ladingbook", counts[t]%8 == 0)
		case t == "Ticket clerk" || t == "Purser" || t == "Refund clerk" || t == "Ticketing lead" || t == "Ticketing deputy":
			give("gangway-till", "gangway", counts[t]%5 == 0)
		}
		switch {
		case i%41 == 17 && u.Manager != "":
			u.UserType, u.Source, u.Until = "seasonal", model.Local, today.AddDate(0, 4, 0)
		case i%37 == 21 && u.Manager != "":
			u.UserType, u.Source, u.Until = "contractor", model.Local, today.AddDate(0, 1+i%6, 0)
			if i%2 == 0 && len(u.Licences) == 0 { // an account that was made and never used
				u.LastUse = nil
			}
		}
	}
	// The last of some areas, who have no part in the demo: not everybody is just active.
	byArea := map[string][]*model.User{}
	for _, u := range users {
		byArea[u.Area] = append(byArea[u.Area], u)
	}
	last := func(area string, back int) *model.User { l := byArea[area]; return l[len(l)-1-back] }
	last("terminal-1", 0).State = model.UserInvited
	for _, area := range []string{"ms-gannet", "pilots", "bulk-quay"} {
		last(area, 1).State = model.UserInvited
	}
	last("terminal-1", 1).State = model.UserLocked
	last("terminal-2", 0).State = model.UserDeactivated
	last("container-yard", 0).State = model.UserInvited
	last("container-yard", 0).Until = today.AddDate(0, 0, -10) // the invitation has run out
	last("cold-store", 0).State = model.UserLocked
	last("finance", 0).State = model.UserDeactivated // the leaver who owns a role
	last("ms-fulmar", 0).State = model.UserDeactivated
	for _, u := range users {
		if u.ID == leavesSoon {
			u.Until = monthsEnd(today)
		}
	}
	ended := last("bulk-quay", 0)
	ended.UserType, ended.Source, ended.Until = "seasonal", model.Local, today.AddDate(0, 0, -20)
}

// leavesSoon is who leaves at the end of the month, and has a role, a group and those who report to them to hand over.
const leavesSoon = "ulla.tannahill"

// monthsEnd is the day on which a month ends.
func monthsEnd(today time.Time) time.Time {
	return time.Date(today.Year(), today.Month()+1, 1, 0, 0, 0, 0, time.UTC)
}

// PersonName makes up the name of the i-th of any number of people.
func PersonName(i int) string {
	name := givenNames[i%len(givenNames)]
	if i /= len(givenNames); i >= len(familyNames) {
		name += " " + string(rune('A'+i/len(familyNames)%26)) + "."
	}
	return name + " " + familyNames[i%len(familyNames)]
}
