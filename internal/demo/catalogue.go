package demo

import (
	"encoding/json"
	"errors"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// catalogue describes a system in short: modules, and in each the objects with their actions. Marks behind an
// action: w write, a admin, 1–3 risk, o counts over the whole organisation only, l needs the licence that is named
// for the system.
type catalogue struct {
	id, name, about, supplier, version string
	licence                            string // of the whole system
	seat                               string // of the permissions marked l
	modules                            []string
}

var catalogues = []catalogue{
	{
		"quaybook",
		"Quaybook",
		"Berth bookings, gates and rates.",
		"Mole & Lantern",
		"4.2",
		"quaybook-standard",
		"quaybook-planner",
		[]string{
			"Bookings: booking view edit/w approve/w1 cancel/w1 reassign/wl; booking.rate view edit/w2; waiting-list view " +
				"edit/w",
			"Gates: gate view admit/w1 override/w3 report/w; gate-log view export/1; barrier view open/w2",
			"Planning: berth-plan view/l edit/wl publish/wl1; tide-window view edit/wl; mooring view assign/w",
			"Tariffs: tariff view edit/w2 publish/a3o; surcharge view edit/w2",
			"Setup: gate-point view edit/a2; calendar view edit/a1; integration view/o edit/ao3",
		},
	},
	{
		"ladingbook",
		"Ladingbook",
		"Cargo manifests, dangerous goods, customs release.",
		"Fathom Works",
		"2.1",
		"ladingbook-seat",
		"",
		[]string{
			"Manifests: manifest view edit/w amend/w1 close/w1; manifest-line view edit/w; attachment view add/w remove/w1",
			"Dangerous goods: dangerous-goods view declare/w2 release/w3 segregate/w2; emergency-sheet view edit/w1",
			"Customs: customs-hold view set/w1 lift/w3; release view request/w grant/w3; seal view record/w",
			"Figures: statistics view/o export/1o; dwell-time view",
			"Setup: cargo-type view edit/a1; partner view edit/a2; retention view/o edit/ao3",
		},
	},
	{"crewtide", "Crewtide", "Rosters, shifts and qualifications.", "Tidewright", "3.1", "", "", []string{
		"Shifts: shift view swap/w plan/w1 approve/w1; absence view report/w approve/w1; overtime view grant/w2",
		"Qualifications: qualification view edit/w1 expire/w2; course view book/w; medical view/2 edit/w3",
		"Crew: crew view edit/w assign/w1; watch view plan/w; handover view write/w",
		"Pay: timesheet view correct/w2 approve/w2 export/2o",
		"Setup: rule view edit/a2; site view edit/a1",
	}},
	{
		"gangway",
		"Gangway",
		"Ferry tickets, departures and refunds.",
		"Isle Software",
		"5.0",
		"",
		"gangway-till",
		[]string{
			"Timetable: timetable view edit/w1 publish/a2o; departure view hold/w1 cancel/w2; vessel view edit/a1",
			"Tickets: ticket view/l sell/wl change/wl void/wl1; pass view/l issue/wl1; group-booking view/l edit/wl",
			"Refunds: refund view/l request/wl approve/wl2 pay/wl3; voucher view/l issue/wl1",
			"Boarding: boarding view scan/w override/w1; passenger-list view/1 export/2; lost-item view record/w",
			"Setup: fare view edit/a2; till view/l open/wl close/wl1",
		},
	},
	{
		"lanternlog",
		"Lanternlog",
		"Vessel traffic: movements, pilots, incidents.",
		"Fathom Works",
		"1.8",
		"",
		"",
		[]string{
			"Traffic: movement view clear/w2 hold/w2 amend/w1; approach view assign/w1; channel view close/w3",
			"Pilots: pilotage view order/w assign/w1 waive/w3; pilot-roster view edit/w",
			"Incidents: incident view record/w investigate/w1 close/w2; recording view/2 export/3o",
			"Warnings: warning view issue/w2 lift/w2; weather view",
			"Setup: sector view edit/a2; radar view tune/a3",
		},
	},
	{
		"hoistkeeper",
		"Hoistkeeper",
		"Crane and gear maintenance.",
		"Ironside & Daughters",
		"1.7",
		"",
		"hoistkeeper-seat",
		[]string{
			"Faults: fault view report/w assess/w1 close/w1; downtime view record/w",
			"Work: work-order view/l create/wl approve/w1l close/wl; part view/l take/wl order/w2l; tool view lend/w",
			"Inspection: inspection view record/w1l sign/w2l; load-test view record/w1l release/w3l; certificate view issue/w3l",
			"Gear: crane view edit/wl lock-out/w2l return/w3l; sling view retire/w1",
			"Setup: checklist view edit/a1; interval view edit/a2",
		},
	},
	{"tallyroom", "Tallyroom", "Invoices, suppliers and payments.", "Ledgerline", "6.4", "", "", []string{
		"Invoices: invoice view create/w approve/w2 write-off/w3; credit-note view create/w2; reminder view send/w",
		"Suppliers: supplier view create/w2 edit/w2 block/w1; bank-detail view/2 edit/w3; contract view edit/w1",
		"Payments: payment view prepare/w1 release/w3o reject/w1; payment-run view/o start/w3o; petty-cash view pay/w1",
		"Ledger: journal view post/w2 reverse/w3; closing view/o run/ao3; budget view edit/w1",
		"Setup: account view edit/a2o; approver view edit/a3o",
	}},
}

var actionWords = map[string]string{"view": "See", "edit": "Change", "lock-out": "Lock out", "write-off": "Write off"}

// systems builds the catalogues.
func systems() (out []*model.System) {
	for _, c := range catalogues {
		s := &model.System{
			ID:          c.id,
			Name:        c.name,
			Description: c.about,
			Supplier:    c.supplier,
			Version:     c.version,
			Licence:     c.licence,
		}
		for _, m := range c.modules {
			module, objects, _ := strings.Cut(m, ": ")
			for _, o := range strings.Split(objects, "; ") {
				words := strings.Fields(o)
				s.Permissions = append(s.Permissions, actions(c, module, words[0], words[1:])...)
			}
		}
		out = append(out, s)
	}
	return out
}

func actions(c catalogue, module, object string, list []string) (out []*model.Permission) {
	wholeView := false
	noun := strings.NewReplacer("-", " ", ".", ": ").Replace(object)
	for _, a := range list {
		action, marks, _ := strings.Cut(a, "/")
		p := &model.Permission{Key: c.id + ":" + object + ":" + action, Module: module, Class: model.Read}
		verb := actionWords[action]
		if verb == "" {
			verb = strings.ToUpper(action[:1]) + strings.ReplaceAll(action[1:], "-", " ")
		}
		p.Label = verb + " " + noun
		for _, m := range marks {
			switch m {
			case 'w':
				p.Class = model.Write
			case 'a':
				p.Class = model.Admin
			case 'o':
				p.Span = model.SpanOrganisation
			case 'l':
				p.Licence = c.seat
			default:
				p.Risk = int(m - '0')
			}
		}
		if p.Risk == 3 {
			p.Description = p.Label + ". Critical: what it does is hard to undo or touches safety or money; give it to few, " +
				"and for a time."
		}
		if action == "view" {
			wholeView = p.Span == model.SpanOrganisation
		} else if !wholeView || p.Span == model.SpanOrganisation {
			if strings.HasPrefix(list[0], "view") {
				p.Implies = []string{c.id + ":" + object + ":view"}
			}
			if main, field, ok := strings.Cut(object, "."); ok && field != "" {
				p.Implies = append(p.Implies, c.id+":"+main+":view")
			}
		}
		out = append(out, p)
	}
	return out
}

// sets builds the permission sets: those that each system supplies, and the harbour's own.
func sets(systems []*model.System) (out []*model.Set) {
	for _, s := range systems {
		version := s.Version
		if s.ID == "ladingbook" {
			version = "2.0" // the catalogue has moved on, the supplied sets have not
		}
		reader := &model.Set{
			ID:          s.ID + "-reader",
			Name:        s.Name + ": reader",
			Description: "Sees everything of " + s.Name + " that is not sensitive.",
			System:      s.ID,
			Version:     version,
		}
		modules := []string{}
		work, lead, see := map[string]*model.Set{}, map[string]*model.Set{}, map[string]*model.Set{}
		for _, p := range s.Permissions {
			if work[p.Module] == nil {
				modules = append(modules, p.Module)
				slug := strings.ReplaceAll(strings.ToLower(p.Module), " ", "-")
				work[p.Module] = &model.Set{
					ID:          s.ID + "-" + slug,
					Name:        s.Name + ": " + strings.ToLower(p.Module),
					Description: "Daily work in " + s.Name + ", module " + p.Module + ".",
					System:      s.ID,
					Version:     version,
				}
				lead[p.Module] = &model.Set{
					ID:          s.ID + "-" + slug + "-lead",
					Name:        s.Name + " " + strings.ToLower(p.Module) + ", lead",
					Description: "What a lead may do beyond the daily work, in module " + p.Module + ". Made here.",
				}
				see[p.Module] = &model.Set{
					ID:          s.ID + "-" + slug + "-see",
					Name:        s.Name + " " + strings.ToLower(p.Module) + ", see",
					Description: "Sees module " + p.Module + ", changes nothing. Made here.",
				}
			}
			if p.Class == model.Read && p.Risk < 2 {
				reader.Permissions = append(reader.Permissions, p.Key)
				see[p.Module].Permissions = append(see[p.Module].Permissions, p.Key)
			}
			if p.Class != model.Admin && p.Risk < 2 {
				work[p.Module].Permissions = append(work[p.Module].Permissions, p.Key)
			}
			if p.Class != model.Read && p.Risk >= 1 {
				lead[p.Module].Permissions = append(lead[p.Module].Permissions, p.Key)
			}
		}
		out = append(out, reader)
		for _, m := range modules {
			if m != "Setup" {
				out = append(out, work[m])
			}
			if len(lead[m].Permissions) > 0 {
				out = append(out, lead[m])
			}
			if m != "Setup" && m != "Figures" && m != "Pay" && m != "Warnings" && m != "Ledger" {
				out = append(out, see[m])
			}
		}
	}
	return append(out, ownSets()...)
}

func ownSets() []*model.Set {
	set := func(id, name, description string, permissions ...string) *model.Set {
		return &model.Set{ID: id, Name: name, Description: description, Permissions: permissions}
	}
	rates := set(
		"rates",
		"Rates",
		"Begun as a copy of Quaybook: tariffs in version 4.0; has gone its own way since.",
		"quaybook:tariff:view",
		"quaybook:surcharge:view",
		"quaybook:booking.rate:view",
		"quaybook:booking.rate:edit",
		"quaybook:discount:grant",
	)
	rates.CopyOf = &model.CopyOf{Set: "quaybook-tariffs", Version: "4.0"}
	old := set(
		"paper-log",
		"Paper log",
		"For the gate books on paper, gone since the new gates.",
		"quaybook:gate:report",
	)
	old.State = model.Retired
	return []*model.Set{
		rates, old,
		set(
			"gate-additions",
			"Gate additions",
			"What gate clerks here need beyond the supplied gate set.",
			"quaybook:barrier:open",
			"quaybook:gate-log:export",
		),
		set(
			"gate-override",
			"Gate override",
			"Lets a vehicle through against the book. For the night cover, one by one.",
			"quaybook:gate:override",
		),
		set(
			"timetables",
			"Timetables, public",
			"What anybody may see without signing in.",
			"gangway:timetable:view",
			"gangway:departure:view",
		),
		set(
			"own-shifts",
			"Own shifts",
			"One's own roster, absences and handovers.",
			"crewtide:shift:view",
			"crewtide:shift:swap",
			"crewtide:absence:view",
			"crewtide:absence:report",
			"crewtide:handover:view",
			"crewtide:timesheet:view",
		),
		set(
			"fault-report",
			"Fault report",
			"Anybody on a quay reports a fault.",
			"hoistkeeper:fault:view",
			"hoistkeeper:fault:report",
		),
		set(
			"shift-board",
			"Shift board",
			"Plans and approves the shifts of one's line.",
			"crewtide:shift:plan",
			"crewtide:shift:approve",
			"crewtide:absence:approve",
			"crewtide:overtime:view",
		),
		set(
			"refund-desk",
			"Refund desk",
			"Takes refunds up to the payment.",
			"gangway:refund:request",
			"gangway:refund:approve",
			"gangway:voucher:issue",
		),
		set(
			"harbour-picture",
			"Harbour picture",
			"Traffic and weather for everybody on watch.",
			"lanternlog:movement:view",
			"lanternlog:weather:view",
			"lanternlog:warning:view",
		),
	}
}

// waiting keeps the next version of Crewtide, which somebody brought in and nobody has adopted.
func waiting(s *store.Store, final *model.Design, now time.Time) error {
	system, ok := final.Systems.Find("crewtide")
	if !ok {
		return errors.New("the demo has no Crewtide")
	}
	next := change.Clone(system)
	next.Version = "3.2"
	next.Permissions = append(next.Permissions, &model.Permission{
		Key: "crewtide:fatigue:view", Label: "See how tired a crew may be", Module: "Shifts", Class: model.Read,
	}, &model.Permission{
		Key: "crewtide:fatigue:waive", Label: "Let somebody work beyond their hours", Module: "Shifts", Class: model.Write,
		Risk: 2,
	})
	data, err := json.Marshal(map[string]any{"system": next})
	if err != nil {
		return err
	}
	return s.KeepCatalogue(&store.KeptCatalogue{
		System: next.ID, Name: "crewtide-3.2.json", Data: data, By: "mireille.aster", At: now.AddDate(0, 0, -4).UTC(),
	})
}
