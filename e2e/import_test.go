package e2e

import (
	"fmt"
	"strings"
	"testing"

	"golang.org/x/text/encoding/charmap"

	"fachwerk/e2e/browser"
)

// messy is a list of 400 new people as it comes out of somebody's spreadsheet: in an old encoding, with semicolons,
// days the German way, columns in an order of its own, lines left empty, and twelve faults.
func messy() []byte {
	faults := map[int]func(row []string){
		12:  func(r []string) { r[4] = "Terminal 3" },
		47:  func(r []string) { r[6] = "Gate clark" },
		83:  func(r []string) { r[5] = "Mireille Asster" },
		111: func(r []string) { r[2] = "not an address" },
		140: func(r []string) { r[7] = "31.02.2027" },
		171: func(r []string) { r[7], r[8] = "01.06.2027", "01.05.2027" },
		202: func(r []string) { r[6] = "" },
		233: func(r []string) { r[0] = "kx-0232" }, // the number of the row before
		264: func(r []string) { r[1] = "" },
		295: func(r []string) { r[9] = "Quaybook Standart" },
		326: func(r []string) { r[3], r[5] = "Shift lead", "Tomasz" },
		357: func(r []string) { r[4] = "Bulk Kai" },
	}
	var b strings.Builder
	b.WriteString("Personnel no;Full name;E-mail address;Position;Site;Reports to;Role;Start;End;Licence;Shoe size\r\n")
	for i := range 400 {
		row := []string{
			fmt.Sprintf("kx-%04d", i),
			fmt.Sprintf("Sjö Mårtensson %d", i),
			fmt.Sprintf("kx%d@skerryhaven.example", i),
			"Gate clerk",
			"Terminal 2",
			"mireille.aster",
			"Gate clerk",
			"01.12.2026",
			"",
			"",
			"42",
		}
		if f := faults[i]; f != nil {
			f(row)
		}
		b.WriteString(strings.Join(row, ";") + "\r\n")
		if i%97 == 0 {
			b.WriteString(";;;;;;;;;;\r\n")
		}
	}
	data, err := charmap.Windows1252.NewEncoder().String(b.String())
	if err != nil {
		panic(err) // there is nothing in it that the encoding has not
	}
	return []byte(data)
}

// errorsOf is the word for so many.
func errorsOf(n int) string {
	if n == 1 {
		return "error"
	}
	return "errors"
}

// TestBringingIn brings 400 people in from a messy file, mends what is wrong in place, applies, and undoes.
func TestBringingIn(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.Refusals = true // a file that is none is refused, as it should be

	// First the catalogue of a system that is new, out of a table: what it changes is seen before.
	table := s.file(
		"shuttleboard.csv",
		"object;action;label;class;risk;implies;sets\nshuttle;view;See "+
			"shuttles;read;0;;shuttleboard-reader\nshuttle;send;Send a shuttle;write;2;shuttle:view;shuttleboard-desk "+
			"shuttleboard-reader\n",
	)
	s.open("/systems")
	s.click("main nav a", "New version")
	s.upload("Catalogue to import", table)
	s.see("[role=alert]", "does not say of which system it is")
	table = s.file(
		"shuttleboard.csv",
		"key;label;class;risk;implies;sets\nshuttleboard:shuttle:view;See "+
			"shuttles;read;0;;shuttleboard-reader\nshuttleboard:shuttle:send;Send a "+
			"shuttle;write;2;shuttle:view;shuttleboard-desk\n",
	)
	s.upload("Catalogue to import", table)
	s.see("[data-upgrade]", "new here")
	s.see("[aria-label='Permissions that are new']", "shuttle:send")
	s.see("[aria-label='Supplied sets']", "shuttleboard-desk")
	s.see("[data-effect]", "0 people gain")
	s.typeInto("version", "1.0")
	s.see("[data-upgrade]", "1.0, new here")
	s.click("main button", "Put into the draft")
	s.see("[role=status]", "1.0 is in your draft")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("the shuttles come")
	s.open("/systems/shuttleboard")
	s.see("h1", "shuttleboard")
	s.see("main", "send")

	// A copy that went its own way is brought back, permission by permission.
	s.open("/sets/rates")
	s.see("[aria-label='only this one gives']", "booking.rate:edit")
	s.click("button[aria-label='Take out quaybook:booking.rate:edit']", "Take out")
	s.see("section[aria-label=Draft]", "1 change")
	s.gone("[aria-label='only this one gives']", "booking.rate:edit")
	s.click("section[aria-label=Draft] button", "Open")
	s.click("button", "Discard all")
	s.see("section[aria-label=Draft]", "No draft")

	file := s.file("new starters.csv", string(messy()))
	s.open("/people")
	s.click("main nav a", "Bring in")
	s.see("main", "Drop a file here")
	s.upload("File to import", file)
	ready := func() { t.Helper(); s.wait("document.querySelector('[data-import=ready]')") }
	counts := func(want string) {
		t.Helper()
		s.wait(
			`[...document.querySelectorAll('[data-verdict]')].map(e => e.innerText.trim()).join(', ') === ` + "`" + want + "`",
		)
		ready()
	}
	ready()
	s.see("[aria-label='The file']", "new starters.csv")
	s.wait(
		`[...document.querySelectorAll("[aria-label='The file'] select")].map(e => e.value).join() === 'people,Windows-1252,;'`,
	)
	s.wait(
		`[...document.querySelectorAll("[aria-label=Columns] [role=combobox]")].map(e => e.value).join() === 'externalId,displayName,email,title,area,manager,roles,from,until,licences,'`,
	)
	counts("✕ 12 errors, + 388 new, · 5 ignored")

	// Each fault, mended where it is told: by what was most likely meant, or by hand.
	s.click("[data-verdict=error]", "error")
	s.wait("document.querySelectorAll('[data-row=error]').length > 3")
	s.see("[data-row=error]", "there is no area “Terminal 3”")
	left := 12
	mended := func() {
		t.Helper()
		left--
		if left > 0 {
			counts(fmt.Sprintf("✕ %d %s, + %d new, · 5 ignored", left, errorsOf(left), 400-left))
		}
	}
	find := func(words string) {
		t.Helper()
		s.typeInto("Words in the rows", words)
		s.wait("document.querySelectorAll('[data-row]').length === 1")
	}
	suggest := func(words, suggestion string) {
		t.Helper()
		find(words)
		s.click("[data-suggestion]", suggestion)
		mended()
	}
	by := func(words, column, text string) {
		t.Helper()
		find(words)
		s.typeInto(column+",", text)
		s.click("[data-row=error] button[type=submit]", "Mend")
		mended()
	}
	suggest("kx-0012", "Terminal 1?")
	suggest("kx-0047", "Gate clerk?")
	suggest("kx-0083", "Mireille Aster?")
	by("kx-0111", "E-mail address", "kx111@skerryhaven.example")
	by("kx-0140", "Start", "28.02.2027")
	by("kx-0171", "End", "01.07.2027")
	by("kx-0202", "Role", "Gate clerk")
	by("kx233@", "Personnel no", "kx-0233")
	by("kx-0264", "Full name", "Sjö Mårtensson 264")
	suggest("kx-0295", "Quaybook Standard?")
	by("kx-0326", "Reports to", "tomasz.oyelaran")
	by("kx-0357", "Site", "Bulk Quay")
	s.wait(
		`[...document.querySelectorAll('[data-verdict]')].map(e => e.innerText.trim()).slice(-2).join(', ') === '+ 400 new, · 5 ignored'`,
	)
	s.see("[data-effect='new user']", "400 new people")
	s.see("[data-effect='new assignment']", "400 new assignments")

	// A part would leave out too many.
	s.click("section[aria-label=Effect] label", "deactivate whom the file does not have")
	s.see("section[aria-label=Effect] [role=alert]", "lacks")
	s.wait(
		"[...document.querySelectorAll('section[aria-label=Effect] button')].find(b => b.innerText === 'Put into the " +
			"draft').disabled",
	)
	s.click("section[aria-label=Effect] label", "deactivate whom the file does not have")
	s.gone("section[aria-label=Effect] [role=alert]", "lacks")

	// Into the draft, where its impact is seen; applied, and undone.
	s.click("section[aria-label=Effect] button", "Put into the draft")
	s.see("[role=status]", "new starters.csv is in your draft")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("the new starters of the winter")
	s.open("/people?q=" + "M%C3%A5rtensson")
	s.see("main", "400 of 820")
	s.open("/history")
	s.click("main button", "Undo")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("not before Monday")
	s.open("/people")
	s.see("main", "420 people")

	// What its columns held is remembered: one that was left out stays so, one that was chosen is chosen again.
	s.open("/import")
	s.upload("File to import", file)
	ready()
	counts("✕ 12 errors, + 388 new, · 5 ignored")
	s.choose("What Shoe size holds", "Kind")
	ready()
	s.see("[data-row]", "42")
	s.click("main button", "Another file")
	s.see("main", "Drop a file here")
}

// TestMendingByKeyboard goes from fault to fault by the keys: what is offered is taken, what is typed mends, in one
// row or in all that are wrong alike; and back.
func TestMendingByKeyboard(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	rows := []string{"Name,Site,Role,E-mail"}
	for i := range 40 {
		site, role := "Terminal 2", "Gate clerk"
		if i%4 == 1 {
			site = "Terminal 3"
		}
		if i%10 == 2 {
			role = "Gate clark"
		}
		rows = append(rows, fmt.Sprintf("Sjö Mårtensson %d,%s,%s,sjo%d@skerryhaven.example", i, site, role, i))
	}
	s.open("/import")
	s.upload("File to import", s.file("crew.csv", strings.Join(rows, "\n")))
	wrong := func(n int) {
		t.Helper()
		s.wait(
			fmt.Sprintf(
				"document.querySelector('[data-import=ready]') && (document.querySelector('[data-verdict=error]')?.innerText ?? "+
					"'✕ 0 errors').trim() === '✕ %d %s'",
				n,
				errorsOf(n),
			),
		)
	}
	on := func(text string) { // the focus is on what says or holds a text
		t.Helper()
		s.wait("(document.activeElement.innerText || document.activeElement.value) === " + quoted(text))
	}
	wrong(14)
	s.click("[data-verdict=error]", "error")
	s.wait(
		"document.querySelector('[data-import=ready]') && [...document.querySelectorAll('[data-row]')].every(e => " +
			"e.dataset.row === 'error')",
	)
	for range 12 { // past the other verdicts and the words, into the rows
		if at, err := browser.Eval[bool](s.Page, "document.activeElement.dataset.suggestion !== undefined"); err != nil ||
			at {
			s.must(err)
			break
		}
		s.press("\t")
	}
	on("Terminal 1?")
	s.press(browser.Enter)
	wrong(13)
	on("Gate clerk?") // the next row, whose role is wrong
	s.press(browser.Down)
	on("Terminal 1?")
	s.press(browser.Up)
	on("Gate clerk?")
	// By what is typed.
	s.press("\t")
	on("Gate clark")
	s.must(s.PressControl("a"))
	s.press("Gate lead", browser.Enter)
	wrong(12)
	on("Terminal 1?")
	// All that are wrong alike, at once: the box stands before what is offered.
	s.wait("document.activeElement.closest('form').innerText.includes('in all 9 rows')")
	s.click("[data-row=error] label", "in all 9 rows")
	s.press("\t")
	on("Terminal 1?")
	s.press(browser.Enter)
	wrong(3)
	on("Gate clerk?")
	// What was mended can be taken back; and a row that was left out, taken in.
	s.click("[data-row=error] button", "Leave the row out")
	wrong(2)
	s.click("[data-verdict=ignored]", "ignored")
	s.see("[data-row=ignored]", "left out")
	s.click("[data-row=ignored] button", "Take it in")
	wrong(3)
	s.click("[data-verdict=create]", "new")
	s.see("[data-row=create]", "mended, was “Terminal 3”")
	s.click("[data-row=create] button", "As it was")
	wrong(4)
}

// Whoever wants it has CSV begin with a byte order mark, until they want it no longer.
func TestCSVBeginsWithAMarkOnRequest(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/roles")
	s.see("main", "Gate clerk")
	for _, want := range []string{"true", "false"} {
		s.click("header button", "Signe Halloran")
		s.click("[role=menuitem]", "CSV with or without a mark")
		s.see("[role=status]", "byte order mark")
		s.wait(`(() => {
			const a = [...document.querySelectorAll("main a")].find((e) => e.innerText === "CSV");
			a.addEventListener("click", (e) => e.preventDefault(), { once: true });
			a.click();
			return a.href.includes("mark=true") === ` + want + `;
		})()`)
	}
}
