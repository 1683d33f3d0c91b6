package demo

import (
	"fmt"
	"strings"
	"time"

	"fachwerk/internal/core/model"
)

// roleRows are the roles: id, name, sets, inherited roles, what they are for.
var roleRows = [][5]string{
	{
		"basics",
		"Everyone’s basics",
		"own-shifts fault-report harbour-picture",
		"",
		"What everybody who works here may do for themselves.",
	},
	{"visitor", "Visitor", "timetables", "", "What the public sees."},
	{
		"gate-clerk",
		"Gate clerk",
		"quaybook-gates gate-additions ladingbook-manifests-see quaybook-bookings-see",
		"",
		"Lets vehicles in and out, and books what came.",
	},
	{"gate-lead", "Gate lead", "quaybook-gates-lead", "gate-clerk", "Leads a gate: overrides and barriers too."},
	{
		"night-cover",
		"Night cover",
		"gate-override",
		"",
		"Overrides at the gate while no lead is on duty. Given by hand, for a time.",
	},
	{
		"berth-planner",
		"Berth planner",
		"quaybook-planning quaybook-bookings",
		"harbour-reader",
		"Plans who lies where and when.",
	},
	{
		"berth-lead",
		"Berth lead",
		"quaybook-planning-lead quaybook-bookings-lead",
		"berth-planner",
		"Approves and publishes what planners make.",
	},
	{
		"harbour-reader",
		"Harbour reader",
		"quaybook-reader lanternlog-traffic-see",
		"",
		"Sees berths and traffic, changes nothing.",
	},
	{
		"tariff-editor",
		"Tariff editor",
		"quaybook-tariffs rates quaybook-tariffs-lead",
		"",
		"Keeps the tariffs and publishes them.",
	},
	{
		"quaybook-administrator",
		"Quaybook administrator",
		"quaybook-reader quaybook-bookings quaybook-bookings-lead quaybook-gates quaybook-gates-lead quaybook-planning " +
			"quaybook-planning-lead quaybook-tariffs quaybook-tariffs-lead quaybook-setup-lead",
		"",
		"Everything in Quaybook. Protected: make a role that inherits it instead.",
	},
	{
		"site-manager",
		"Site manager",
		"crewtide-shifts-lead ladingbook-reader",
		"quaybook-administrator",
		"Made from the administrator, with the dangerous parts taken away.",
	},
	{"quay-hand", "Quay hand", "crewtide-crew-see hoistkeeper-faults-see", "", "Works on the quay."},
	{"ramp-hand", "Ramp hand", "gangway-boarding-see", "quay-hand", "Works on the ro-ro ramp."},
	{"yard-hand", "Yard hand", "ladingbook-manifests-see", "quay-hand", "Works in the yard."},
	{"store-hand", "Store hand", "ladingbook-manifests-see", "quay-hand", "Works in the cold store."},
	{
		"crane-operator",
		"Crane operator",
		"hoistkeeper-faults hoistkeeper-inspection-see hoistkeeper-gear-see",
		"quay-hand",
		"Drives cranes; needs a certificate.",
	},
	{
		"maintenance-fitter",
		"Maintenance fitter",
		"hoistkeeper-faults hoistkeeper-work hoistkeeper-gear",
		"",
		"Keeps cranes and gear working.",
	},
	{
		"inspector",
		"Inspector",
		"hoistkeeper-inspection hoistkeeper-inspection-lead",
		"maintenance-fitter",
		"Inspects, signs and certifies.",
	},
	{
		"shift-lead",
		"Shift lead",
		"shift-board crewtide-crew crewtide-shifts",
		"",
		"Plans and approves the shifts of their line.",
	},
	{
		"roster-planner",
		"Roster planner",
		"crewtide-shifts crewtide-crew crewtide-pay crewtide-shifts-lead",
		"",
		"Plans the rosters of the whole harbour.",
	},
	{
		"training-officer",
		"Training officer",
		"crewtide-qualifications crewtide-qualifications-lead",
		"",
		"Keeps qualifications and courses.",
	},
	{"pay-clerk", "Pay clerk", "crewtide-pay crewtide-pay-lead", "", "Corrects and approves timesheets."},
	{"manifest-clerk", "Manifest clerk", "ladingbook-manifests ladingbook-customs-see", "", "Keeps the manifests."},
	{
		"cargo-lead",
		"Cargo lead",
		"ladingbook-manifests-lead ladingbook-customs ladingbook-figures",
		"manifest-clerk",
		"Amends and closes manifests, requests releases.",
	},
	{
		"dangerous-goods-officer",
		"Dangerous goods officer",
		"ladingbook-dangerous-goods ladingbook-dangerous-goods-lead",
		"",
		"Declares, segregates and releases dangerous goods. See the conflicts.",
	},
	{
		"customs-officer",
		"Customs officer",
		"ladingbook-customs ladingbook-customs-lead",
		"",
		"Sets and lifts customs holds.",
	},
	{"ticket-clerk", "Ticket clerk", "gangway-tickets gangway-timetable-see", "", "Sells and changes tickets."},
	{
		"refund-clerk",
		"Refund clerk",
		"refund-desk gangway-refunds-see",
		"ticket-clerk",
		"Takes refunds up to the payment.",
	},
	{
		"ticketing-lead",
		"Ticketing lead",
		"gangway-tickets-lead gangway-refunds-lead gangway-timetable-lead",
		"refund-clerk",
		"Leads ticketing on all lines.",
	},
	{"purser", "Purser", "gangway-boarding gangway-tickets", "", "Boards passengers and sells on board."},
	{"deck-crew", "Deck crew", "gangway-boarding-see crewtide-crew-see", "", "Works on board."},
	{
		"vessel-master",
		"Vessel master",
		"gangway-boarding gangway-boarding-lead shift-board",
		"deck-crew",
		"Commands a vessel.",
	},
	{
		"traffic-officer",
		"Traffic officer",
		"lanternlog-traffic lanternlog-pilots-see lanternlog-incidents",
		"",
		"Keeps the watch in the tower.",
	},
	{
		"watch-lead",
		"Watch lead",
		"lanternlog-traffic-lead lanternlog-incidents-lead lanternlog-warnings",
		"traffic-officer",
		"Leads a watch; may close a channel.",
	},
	{"pilot", "Pilot", "lanternlog-pilots lanternlog-traffic-see", "", "Brings vessels in and out."},
	{"chief-pilot", "Chief pilot", "lanternlog-pilots-lead", "pilot", "Assigns pilots and waives the duty."},
	{"invoice-clerk", "Invoice clerk", "tallyroom-invoices tallyroom-suppliers-see", "", "Writes and reminds."},
	{
		"supplier-keeper",
		"Supplier keeper",
		"tallyroom-suppliers tallyroom-suppliers-lead",
		"",
		"Creates and keeps suppliers. See the conflicts.",
	},
	{
		"payments-lead",
		"Payments lead",
		"tallyroom-payments tallyroom-payments-lead",
		"",
		"Prepares and releases payments. See the conflicts.",
	},
	{"bookkeeper", "Bookkeeper", "tallyroom-ledger tallyroom-ledger-lead", "", "Keeps the ledger and closes the year."},
	{"invoice-writer", "Invoice writer", "tallyroom-invoices", "", "Nearly the same as the invoice clerk."},
	{
		"contractor-view",
		"Contractor",
		"hoistkeeper-work hoistkeeper-gear quaybook-bookings",
		"",
		"What contractors see, read-only.",
	},
	{
		"service-desk",
		"Service desk",
		"crewtide-crew-see",
		"",
		"Helps people in; invites and locks through a delegation.",
	},
	{"fachwerk-keeper", "Access keeper", "fachwerk-administrator", "", "Designs and assigns access day by day."},
	{
		"storm-watch",
		"Storm watch",
		"lanternlog-warnings-lead harbour-picture",
		"",
		"For the night of a storm. Nobody holds it now.",
	},
}

var roleOwners = map[string]string{
	"gate-clerk":     "mireille.aster",
	"gate-lead":      "mireille.aster",
	"night-cover":    "ruben.adeyemi",
	"ticketing-lead": "lucia.fenwick",
	"ticket-clerk":   "lucia.fenwick",
	"refund-clerk":   "lucia.fenwick",
	"payments-lead":  "halima.corvane",
	"quay-hand":      leavesSoon,
}

func roles(leaver string) (out []*model.Role) {
	for _, row := range roleRows {
		r := &model.Role{
			ID:          row[0],
			Name:        row[1],
			Sets:        strings.Fields(row[2]),
			Inherits:    strings.Fields(row[3]),
			Description: row[4],
			Owner:       roleOwners[row[0]],
		}
		switch r.ID {
		case "quaybook-administrator":
			r.Protected = true
		case "site-manager":
			r.Excludes = []string{
				"quaybook:integration:edit",
				"quaybook:tariff:publish",
				"quaybook:tariff:edit",
				"quaybook:surcharge:edit",
				"quaybook:gate-point:edit",
				"quaybook:booking.rate:edit",
			}
		case "invoice-writer":
			r.Owner = leaver
			r.Permissions = []string{"tallyroom:supplier:view"}
		case "crane-operator":
			r.Permissions = []string{"hoistkeeper:crane:view", "hoistkeeper:inspection:record"}
		case "watch-lead":
			r.Excludes = []string{"lanternlog:incident:close"}
		}
		out = append(out, r)
	}
	return out
}

// groups: one for each area's staff, nested along the tree; crews by title; rules; what the directory feeds.
func groups(users []*model.User, today time.Time) (out []*model.Group) {
	staffOf := map[string]*model.Group{}
	for _, a := range areaRows {
		g := &model.Group{
			ID:          a[0] + "-staff",
			Name:        a[1] + " staff",
			Description: "Everybody whose home is " + a[1] + " or an area in it.",
			Source:      model.Directory,
			ExternalID:  "dir-" + a[0],
		}
		staffOf[a[0]] = g
		if parent := staffOf[a[3]]; parent != nil {
			parent.Groups = append(parent.Groups, g.ID)
		}
		out = append(out, g)
	}
	for _, u := range users {
		staffOf[u.Area].Users = append(staffOf[u.Area].Users, u.ID)
	}
	pick := func(fits func(u *model.User) bool) (ids []string) {
		for _, u := range users {
			if fits(u) {
				ids = append(ids, u.ID)
			}
		}
		return ids
	}
	titled := func(area string, titles ...string) []string {
		return pick(func(u *model.User) bool {
			for _, t := range titles {
				if u.JobTitle == t && (area == "" || u.Area == area) {
					return true
				}
			}
			return false
		})
	}
	add := func(id, name, description string, members []string, nested ...string) *model.Group {
		g := &model.Group{ID: id, Name: name, Description: description, Users: members, Groups: nested}
		out = append(out, g)
		return g
	}
	rule := func(id, name, description, text string) {
		out = append(out, &model.Group{ID: id, Name: name, Description: description, Type: model.Rule, Rule: text})
	}
	north := titled("terminal-1", "Gate clerk")
	add("north-gate-crew", "North gate crew", "Gate clerks of Terminal 1, both gates.", north).Owner = "mireille.aster"
	add("terminal-2-gate-crew", "Terminal 2 gate crew", "Gate clerks of Terminal 2.",
		titled("terminal-2", "Gate clerk")).Area = "terminal-2"
	out[len(out)-1].Owner = leavesSoon
	add("ramp-gate-crew", "Ramp gate crew", "Gate clerks at the ro-ro ramp.",
		titled("ro-ro-ramp", "Gate clerk")).Area = "ro-ro-ramp"
	add("gate-crews", "Gate crews", "All gates of North Harbour.", nil, "north-gate-crew", "terminal-2-gate-crew",
		"ramp-gate-crew").Owner = "ruben.adeyemi"
	add("quay-crews", "Quay crews", "Everybody who works on a quay.", titled("", "Quay hand"))
	add("ramp-crew", "Ramp crew", "Ramp hands.", titled("", "Ramp hand"))
	add("yard-crew", "Yard crew", "Yard hands of the container yard.", titled("", "Yard hand"))
	add("store-crew", "Store crew", "Store hands of the cold store.", titled("", "Store hand"))
	add(
		"hands",
		"All hands",
		"Quays, ramp, yard and store taken together.",
		nil,
		"quay-crews",
		"ramp-crew",
		"yard-crew",
		"store-crew",
	)
	add("operations", "Operations", "Whoever works where ships lie.", nil, "hands", "gate-crews")
	add(
		"berth-office",
		"Berth office",
		"Berth and yard planners.",
		titled("", "Berth planner", "Yard planner", "Planner"),
	)
	add("manifest-desk", "Manifest desk", "Manifest clerks of South Harbour.", titled("", "Manifest clerk"))
	add("fitters", "Fitters", "Maintenance fitters.", titled("", "Maintenance fitter"))
	add("shift-leads", "Shift leads", "All who lead a shift.", titled("", "Shift lead"))
	add(
		"site-managers",
		"Site managers",
		"Managers of terminals, yards, quays and stores.",
		titled("", "Terminal manager", "Ramp manager", "Yard manager", "Quay manager", "Store manager"),
	)
	add("ticket-office", "Ticket office", "Ticket clerks ashore.", titled("", "Ticket clerk")).Owner = "lucia.fenwick"
	add("refund-office", "Refund office", "Refund clerks.", titled("", "Refund clerk")).Owner = "lucia.fenwick"
	add("pursers", "Pursers", "Pursers of both lines.", titled("", "Purser"))
	add("deck-crews", "Deck crews", "Deckhands of all vessels.", titled("", "Deckhand"))
	add("masters", "Masters and mates", "Who commands.", titled("", "Master", "Mate"))
	add("tower-watch", "Tower watch", "Traffic officers.", titled("", "Traffic officer"))
	add("watch-leads", "Watch leads", "Who leads a watch in the tower.", titled("", "Watch lead", "Harbour master"))
	add("pilot-corps", "Pilot corps", "All pilots.", titled("", "Pilot", "Senior pilot", "Chief pilot"))
	add("invoice-office", "Invoice office", "Invoice clerks.", titled("", "Invoice clerk"))
	add("buyers", "Buyers", "Who keeps suppliers.", titled("", "Buyer"))
	add("bookkeepers", "Bookkeepers", "Who keeps the ledger.", titled("", "Bookkeeper"))
	add("payments-office", "Payments office", "Who releases payments.", titled("", "Payments lead"))
	add("roster-office", "Roster office", "Roster planners.", titled("", "Roster planner", "Roster lead"))
	add("training-office", "Training office", "Training officers.", titled("", "Training officer"))
	add(
		"desk-service",
		"Service desk",
		"The people whom everybody calls.",
		titled("", "Service desk", "Service desk lead"),
	)
	add("access-keepers", "Access keepers", "Who keeps access here.", []string{"edda.rosenvik"}).Unlisted = true
	add("storm-crew", "Storm crew", "Called together when a storm comes; empty until then.", nil)
	rule(
		"crane-certified",
		"Certified crane drivers, level 3 up",
		"Whoever has a crane certificate of level 3 or more that has not run out.",
		fmt.Sprintf(
			`qualifications[type eq "crane" and level ge 3 and until gt %q] and active eq true`,
			today.Format(time.RFC3339),
		),
	)
	rule("contractors", "Contractors", "Everybody on a contract with somebody else.", `userType eq "contractor"`)
	rule("seasonal", "Seasonal staff", "Here for a season.", `userType eq "seasonal"`)
	rule(
		"goods-certified",
		"Dangerous goods, certified",
		"Certified for dangerous goods, level 2.",
		fmt.Sprintf(
			`qualifications[type eq "dangerous goods" and level ge 2 and until gt %q]`,
			today.Format(time.RFC3339),
		),
	)
	return out
}

// assignments gives the roles to the groups, and some by hand.
func assignments(users []*model.User, today time.Time) (out []*model.Assignment) {
	n := 0
	give := func(s model.Subject, what, area string, reach model.Reach, mode model.Mode) *model.Assignment {
		n++
		a := &model.Assignment{ID: fmt.Sprintf("a-%03d", n), Subject: s, Area: area, Reach: reach, Mode: mode}
		if set, ok := strings.CutPrefix(what, "set:"); ok {
			a.Set = set
		} else {
			a.Role = what
		}
		out = append(out, a)
		return a
	}
	group := func(g, what, area string) *model.Assignment { return give(model.Subject{Group: g}, what, area, "", "") }
	user := func(u, what, area string) *model.Assignment { return give(model.Subject{User: u}, what, area, "", "") }

	give(model.Subject{Group: model.Public}, "visitor", "", "", "")
	give(model.Subject{Group: model.Everyone}, "basics", "", model.ReachOwn, "")
	give(model.Subject{Group: model.Everyone}, "set:harbour-picture", "", "", model.ReadOnly)
	for _, row := range [][3]string{
		{"north-gate-crew", "gate-clerk", "terminal-1"}, {"terminal-2-gate-crew", "gate-clerk", "terminal-2"},
		{"ramp-gate-crew", "gate-clerk", "ro-ro-ramp"},
		{"quay-crews", "quay-hand", ""}, {"ramp-crew", "ramp-hand", "ro-ro-ramp"},
		{"yard-crew", "yard-hand", "container-yard"}, {"store-crew", "store-hand", "cold-store"},
		{"berth-office", "berth-planner", ""}, {"manifest-desk", "manifest-clerk", "south-harbour"},
		{"fitters", "maintenance-fitter", "south-harbour"},
		{"ticket-office", "ticket-clerk", "ferries"}, {"refund-office", "refund-clerk", "ferries"},
		{"pursers", "purser", "ferries"}, {"deck-crews", "deck-crew", "ferries"}, {"masters", "vessel-master", "ferries"},
		{"tower-watch", "traffic-officer", "harbour-master"}, {"watch-leads", "watch-lead", "harbour-master"},
		{"pilot-corps", "pilot", "harbour-master"},
		{"invoice-office", "invoice-clerk", ""}, {"buyers", "supplier-keeper", ""}, {"bookkeepers", "bookkeeper", ""},
		{"payments-office", "payments-lead", ""},
		{"roster-office", "roster-planner", ""}, {"training-office", "training-officer", ""},
		{"desk-service", "service-desk", ""}, {"access-keepers", "fachwerk-keeper", ""},
		{"crane-certified", "crane-operator", ""}, {"goods-certified", "dangerous-goods-officer", "south-harbour"},
		{"north-harbour-staff", "harbour-reader", "north-harbour"},
		{"south-harbour-staff", "harbour-reader", "south-harbour"}, {"operations", "set:fault-report", ""},
	} {
		group(row[0], row[1], row[2])
	}
	give(model.Subject{Group: "shift-leads"}, "shift-lead", "", model.ReachLine, "")
	give(model.Subject{Group: "contractors"}, "contractor-view", "", "", model.ReadOnly)

	u := user("signe.halloran", "set:"+model.SetOwner, "")
	u.Reason = "keeps Fachwerk"
	user("edda.rosenvik", "set:"+model.SetOwner, "").Reason = "stands in for Signe Halloran"
	user("oona.brandvold", "set:"+model.SetAuditor, "").Reason = "audit of access"
	contact := func(a *model.Assignment) { a.Contact = true }
	contact(user("ruben.adeyemi", "site-manager", "north-harbour"))
	contact(user("lucia.fenwick", "ticketing-lead", "ferries"))
	contact(user("mireille.aster", "gate-lead", "terminal-1"))
	user("ansgar.kvitland", "inspector", "container-yard").Reason = "inspects while the post is open"
	// The live conflict: she creates suppliers and releases payments.
	user("halima.corvane", "supplier-keeper", "").Reason = "stands in at the buyers’ desk"

	managers := map[string]string{
		"Terminal manager": "",
		"Ramp manager":     "",
		"Yard manager":     "",
		"Quay manager":     "",
		"Store manager":    "",
	}
	hands := 0
	for i, p := range users {
		if _, is := managers[p.JobTitle]; is {
			contact(user(p.ID, "site-manager", p.Area))
		}
		if p.JobTitle == "Gate clerk" && p.Area == "terminal-1" {
			if hands++; hands%3 == 1 || p.ID == "tomasz.oyelaran" {
				a := user(p.ID, "night-cover", "terminal-1")
				a.Reason, a.Until = "night cover", today.AddDate(0, 2+hands%4, 0)
				if p.ID == askedFor { // what somebody asked for ends next week
					a.Reason, a.Until = askedReason, today.AddDate(0, 0, 6)
				}
			}
			if hands%6 == 2 { // by hand what the crew gives too
				user(p.ID, "gate-clerk", "terminal-1").Reason = "before the crew was made"
			}
		}
		switch {
		case p.JobTitle == "Head of Finance":
			user(p.ID, "bookkeeper", "")
		case p.JobTitle == "Shift lead" && i%3 == 0 && strings.HasPrefix(p.Department, "South"):
			user(p.ID, "cargo-lead", p.Area)
		case p.JobTitle == "Manager of South Harbour":
			contact(user(p.ID, "site-manager", "south-harbour"))
			user(p.ID, "tariff-editor", "").Reason = "tariffs of the whole harbour"
		case p.JobTitle == "Chief pilot":
			user(p.ID, "chief-pilot", "harbour-master")
		case p.JobTitle == "Crane driver" && i%5 == 0: // by hand what the rule gives too, for some
			user(p.ID, "crane-operator", p.Area).Reason = "until the certificates were recorded"
		case p.JobTitle == "Quay hand" && i%11 == 0: // somebody moved on, the grant stayed
			a := user(p.ID, "gate-clerk", "terminal-2")
			a.Until, a.Reason = today.AddDate(0, -1, 0), "summer peak"
		case p.JobTitle == "Roster lead":
			user(p.ID, "pay-clerk", "").Reason = "month’s end"
		case p.JobTitle == "Deputy manager" && p.Area == "south-harbour":
			user(p.ID, "customs-officer", "south-harbour")
		}
	}
	// Piece by piece, to one after another: a role would do.
	for _, p := range users {
		if p.JobTitle == "Maintenance fitter" {
			for _, set := range []string{"lanternlog-reader", "lanternlog-incidents", "crewtide-qualifications"} {
				user(p.ID, "set:"+set, "").Reason = "to mend what the log tells of"
			}
		}
	}
	user(leavesSoon, "roster-planner", "terminal-1").Reason = "plans the roster of her shift"
	user("tomasz.oyelaran", "set:gate-override", "terminal-1").Reason = "night cover, before there was a role"
	return out
}

func conflicts(today time.Time) []*model.Conflict {
	c := func(id, name, description string, where model.Where, items ...string) *model.Conflict {
		x := &model.Conflict{ID: id, Name: name, Description: description, Where: where}
		for _, i := range items {
			if strings.Contains(i, ":") {
				x.Items = append(x.Items, model.Item{Permission: i})
			} else {
				x.Items = append(x.Items, model.Item{Role: i})
			}
		}
		return x
	}
	goods := c(
		"goods-declare-release",
		"Declare and release dangerous goods",
		"Who declares goods must not release them.",
		"",
		"ladingbook:dangerous-goods:declare",
		"ladingbook:dangerous-goods:release",
	)
	bank := c(
		"bank-payment",
		"Change bank details and start a payment run",
		"The oldest fraud there is.",
		model.Anywhere,
		"tallyroom:bank-detail:edit",
		"tallyroom:payment-run:start",
	)
	bank.Exceptions = []model.Exception{
		{User: "halima.corvane", Until: today.AddDate(0, 0, 24), Reason: "until the second payments lead has come"},
	}
	return []*model.Conflict{
		c(
			"supplier-payment",
			"Create supplier and release payment",
			"Nobody pays whom they made.",
			model.Anywhere,
			"tallyroom:supplier:create",
			"tallyroom:payment:release",
		),
		goods,
		c(
			"invoice-write-approve",
			"Write and approve invoices",
			"Four eyes on every invoice.",
			"",
			"tallyroom:invoice:create",
			"tallyroom:invoice:approve",
		),
		bank,
		c(
			"refund-pay",
			"Request and pay a refund",
			"Who asks for a refund does not pay it.",
			"",
			"gangway:refund:request",
			"gangway:refund:pay",
		),
		c(
			"ticket-till",
			"Sell tickets and void them",
			"A void is seen by a second person.",
			"",
			"gangway:ticket:sell",
			"gangway:ticket:void",
		),
		c(
			"hold-lift",
			"Set and lift a customs hold",
			"Two people for a hold.",
			"",
			"ladingbook:customs-hold:set",
			"ladingbook:customs-hold:lift",
		),
		c(
			"certify-own-work",
			"Do the work and certify it",
			"Who mends a crane does not certify it.",
			"",
			"hoistkeeper:work-order:close",
			"hoistkeeper:certificate:issue",
		),
		c(
			"crane-return",
			"Lock out and return a crane",
			"Two people bring a crane back.",
			"",
			"hoistkeeper:crane:lock-out",
			"hoistkeeper:crane:return",
		),
		c(
			"plan-approve-time",
			"Plan shifts and approve timesheets",
			"Pay is approved by somebody else.",
			"",
			"crewtide:shift:plan",
			"crewtide:timesheet:approve",
		),
		c(
			"tariff-approve",
			"Edit tariffs and approve bookings",
			"Rates and bookings are kept apart.",
			"",
			"tariff-editor",
			"berth-lead",
		),
		c(
			"three-books",
			"Gate, manifest and customs in one hand",
			"At most two of the three at one place.",
			"",
			"gate-clerk",
			"manifest-clerk",
			"customs-officer",
		),
	}
}

func guarantees() []*model.Guarantee {
	count := func(n int) *int { return &n }
	return []*model.Guarantee{
		{
			ID: "payments-in-finance", Name: "Payments stay in Finance", Type: model.Only,
			Reason:      "An auditor's finding of last year: a harbour office could release a payment.",
			Permissions: []string{"tallyroom:payment:*", "tallyroom:payment-run:*"},
			People:      &model.People{Area: "finance"},
		},
		{
			ID: "no-season-pays", Name: "Nobody seasonal pays out", Type: model.Nobody,
			Reason:      "Seasonal staff are not vetted for it.",
			Permissions: []string{"tallyroom:payment:*", "tallyroom:payment-run:*", "gangway:refund:pay"},
			People:      &model.People{Filter: `userType eq "seasonal"`},
		},
		{
			ID: "two-who-assign", Name: "Two people can always assign", Type: model.AtLeast, Count: count(2),
			Reason:      "Somebody is ill, and somebody has to let the night shift in.",
			Permissions: []string{model.EditAssignments},
		},
		{
			ID: "few-change-bank-details", Name: "Few change bank details", Type: model.AtMost, Count: count(5), Lax: true,
			Reason:      "The bank asks for it from next year on.",
			Permissions: []string{"tallyroom:bank-detail:edit"},
		},
	}
}

func delegations() []*model.Delegation {
	days := func(n int) *int { return &n }
	site := func(id, name, who, area string) *model.Delegation {
		return &model.Delegation{
			ID:       id,
			Name:     name,
			Delegate: model.Subject{User: who},
			People:   model.People{Area: area},
			Actions:  []string{"invite", "assign", "revoke", "review"},
			Roles:    []string{"gate-clerk", "night-cover", "quay-hand", "berth-planner"},
			Area:     area,
			MaxDays:  days(90),
		}
	}
	north := site("north-harbour-people", "North Harbour, its people and roles", "ruben.adeyemi", "north-harbour")
	shift := site("terminal-1-nights", "Nights at Terminal 1", "mireille.aster", "terminal-1")
	shift.Actions, shift.Roles, shift.MaxDays = []string{"assign", "revoke"}, []string{"night-cover"}, days(30)
	return []*model.Delegation{
		north, shift,
		{
			ID:       "ticketing",
			Name:     "Ticketing on all lines",
			Delegate: model.Subject{User: "lucia.fenwick"},
			People:   model.People{Area: "ferries"},
			Actions:  []string{"assign", "revoke", "membership"},
			Roles:    []string{"ticket-clerk", "refund-clerk", "purser"},
			Groups:   []string{"ticket-office", "refund-office", "pursers"},
			Area:     "ferries",
		},
		{
			ID:       "service-desk",
			Name:     "Service desk lets people in",
			Delegate: model.Subject{Group: "desk-service"},
			People:   model.People{Filter: `userType eq "employee" and not (title co "manager")`},
			Actions:  []string{"invite", "lock", "edit", "move"},
		},
		{
			ID:       "roster-lines",
			Name:     "Roster office and the shift leads",
			Delegate: model.Subject{Group: "roster-office"},
			People:   model.People{Filter: `active eq true`},
			Actions:  []string{"assign", "revoke"},
			Roles:    []string{"shift-lead"},
			MaxDays:  days(180),
		},
		{
			ID:       "vessels",
			Name:     "Masters crew their vessels",
			Delegate: model.Subject{Group: "masters"},
			People:   model.People{Area: "ferries"},
			Actions:  []string{"assign", "revoke"},
			Roles:    []string{"deck-crew"},
			Area:     "ferries",
			MaxDays:  days(60),
		},
		{
			ID:       "training",
			Name:     "Training office and the certified",
			Delegate: model.Subject{Group: "training-office"},
			People:   model.People{Group: "hands"},
			Actions:  []string{"edit"},
		},
		{
			ID:       "pilots-own",
			Name:     "The chief pilot and the pilots",
			Delegate: model.Subject{Group: "pilot-corps"},
			People:   model.People{Area: "pilots"},
			Actions:  []string{"review"},
			Area:     "harbour-master",
		},
		// The one whose ceiling is too high: a group that it hands over whole holds more than its delegates do. The other
		// gives rights in Fachwerk, which nobody gives who does not hold them.
		{
			ID:          "keepers-whole",
			Name:        "IT crews the berth office and the access keepers",
			Delegate:    model.Subject{Group: "it-staff"},
			People:      model.People{Area: "it"},
			Actions:     []string{"membership"},
			Groups:      []string{"access-keepers", "berth-office"},
			GroupsWhole: true,
		},
	}
}
