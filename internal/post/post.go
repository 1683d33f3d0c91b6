// Package post composes the letters that Fachwerk writes, gives them their form, and sends them.
package post

import (
	"fmt"
	"strings"
	"time"

	"fachwerk/internal/core/model"
)

// Letter is what is written to somebody.
type Letter struct {
	Kind    string
	Subject string
	Body    string // plain text, lines ended by \n, paragraphs parted by an empty line
	Link    string // which link it brings, one of these; empty if none
}

// The kinds of letters. People may decline reminders, tasks, requests, endings, findings and critical changes; the
// others bring links, were asked for, or are about how one signs in.
const (
	Reminders   = "reminder" // that go out by themselves
	Tasks       = "task"
	Invitations = "invitation"
	Passwords   = "password"
	Runs        = "run"      // what a worklist did, to whoever applied it
	Requests    = "request"  // something is asked for that one could grant
	Answers     = "answer"   // what became of one's own request
	Endings     = "ending"   // something that one was given for a time ends soon
	Criticals   = "critical" // somebody has made a critical change
	Notices     = "notice"   // how one signs in was changed
	Findings    = "finding"  // what is loose about one's own things, once a week
)

// Daily tells of which letters a person gets one a day at most, with all of that day in it, unless they want each at
// once: those that are not urgent.
var Daily = map[string]bool{Reminders: true, Tasks: true, Requests: true, Endings: true, Findings: true}

// AtOnce is kept in the place of a kind for who wants no letter to wait for the one of the day.
const AtOnce = "at-once"

// The links that letters bring, which are made when these are sent.
const (
	LinkInvitation = "invitation"
	LinkPassword   = "password"
)

// Reminder asks a reviewer for the decisions that are missing in a review; late tells that its end is past.
func Reminder(organisation, name, review, link string, waiting, all int, due time.Time, late bool) Letter {
	when := "They are due on " + due.In(model.Zone).Format("2 January 2006") + "."
	if late {
		when = "They were due on " + due.In(model.Zone).Format("2 January 2006") + "."
	}
	items := fmt.Sprintf("%d of your %d items wait", waiting, all)
	switch {
	case waiting == all && waiting == 1:
		items = "1 item waits"
	case waiting == all:
		items = fmt.Sprintf("%d items wait", all)
	case waiting == 1:
		items = fmt.Sprintf("1 of your %d items waits", all)
	}
	return Letter{
		Kind:    Reminders,
		Subject: fmt.Sprintf("%s: %s for your decision", review, items),
		Body: fmt.Sprintf(
			"Dear %s,\n\n%s for your decision in “%s”. %s\n\nThe first of them:\n\n%s\n\nFor each you see how it is held, since "+
				"when, when it was last used, and what would really go away.\n\n%s\n",
			name,
			items,
			review,
			when,
			link,
			organisation,
		),
	}
}

// Task asks the owner of a group what becomes of what was revoked but comes by the group; without a group, somebody to
// carry out what nothing but a person can.
func Task(organisation, name, review, group, link string, tasks int) Letter {
	what := revocations(tasks)
	if group == "" {
		return Letter{
			Kind:    Tasks,
			Subject: fmt.Sprintf("%s: %s for you to carry out", review, what),
			Body: fmt.Sprintf("Dear %s,\n\n“%s” is closed. %s could not be made by themselves: somebody carries them out "+
				"elsewhere, and says what was done about it.\n\n%s\n\n%s\n", name, review, what, link, organisation),
		}
	}
	return Letter{
		Kind:    Tasks,
		Subject: fmt.Sprintf("%s: %s in “%s” for you to settle", review, what, group),
		Body: fmt.Sprintf(
			"Dear %s,\n\n“%s” is closed. %s could not be made by themselves, since the group “%s”, which you own, "+
				"gives the access. For each, take the person out of the group, take the grant off the group, or leave it for a "+
				"reason: what each does is shown before.\n\n%s\n\n%s\n",
			name,
			review,
			what,
			group,
			link,
			organisation,
		),
	}
}

// Loose is one thing that is loose, in a sentence.
type Loose struct {
	Weight int // 1 to 3
	Says   string
}

// looseTold is how many things a letter tells one by one.
const looseTold = 20

// Weekly tells an owner what is loose about what they own, the gravest first; a link where all of it is seen, if they
// may see it.
func Weekly(organisation, name string, loose []Loose, link string) Letter {
	subject := fmt.Sprintf("%d findings about what you own", len(loose))
	if len(loose) == 1 {
		subject = "1 finding about what you own"
	}
	var lines []string
	for _, l := range loose[:min(len(loose), looseTold)] {
		lines = append(lines, "- "+l.Says)
	}
	if more := len(loose) - looseTold; more > 0 {
		lines = append(lines, fmt.Sprintf("and %d more.", more))
	}
	if link != "" {
		link = "Mend them, or set them aside with a reason:\n\n" + link + "\n\n"
	}
	return Letter{
		Kind:    Findings,
		Subject: subject,
		Body: fmt.Sprintf("Dear %s,\n\nThis is loose of the roles, permission sets and groups that you own:\n\n%s\n\n%s%s\n",
			name, strings.Join(lines, "\n\n"), link, organisation),
	}
}

func revocations(n int) string {
	if n == 1 {
		return "1 revocation"
	}
	return fmt.Sprintf("%d revocations", n)
}

// LateTask asks somebody to settle what the owner of a group did not settle in time.
func LateTask(organisation, name, review, group, owner, link string, tasks int) Letter {
	what := revocations(tasks)
	return Letter{
		Kind:    Tasks,
		Subject: fmt.Sprintf("%s: %s in “%s” not settled in time", review, what, group),
		Body: fmt.Sprintf(
			"Dear %s,\n\n“%s” has been closed for three weeks. %s came by the group “%s”, whose owner, %s, was to say what "+
				"becomes "+
				"of that, and did not. It is for you to settle now.\n\n%s\n\n%s\n",
			name, review, what, group, owner, link, organisation,
		),
	}
}

// Stuck tells that a review that returns by itself cannot go on.
func Stuck(organisation, name, series, why, link string) Letter {
	return Letter{
		Kind:    Tasks,
		Subject: fmt.Sprintf("“%s” cannot go on by itself", series),
		Body: fmt.Sprintf(
			"Dear %s,\n\nThe review “%s” should return by itself, and cannot. %s\n\n%s\n\n%s\n",
			name, series, why, link, organisation,
		),
	}
}

// LinkHere stands in a letter where its link is put when it is sent, so that no working link lies in the outbox.
const LinkHere = "[the link is made when this letter is sent]"

// Invitation brings somebody a link by which to set a password, good until an instant.
func Invitation(organisation, name, from string, until time.Time) Letter {
	return Letter{
		Kind:    Invitations,
		Link:    LinkInvitation,
		Subject: "Your way into " + organisation,
		Body: fmt.Sprintf(
			"Dear %s,\n\n%s has invited you to %s. Set your password here, once, until %s:\n\n%s\n\nIf you did not expect "+
				"this, do nothing.\n\n%s\n",
			name,
			from,
			organisation,
			model.Until(until),
			LinkHere,
			organisation,
		),
	}
}

// Forgotten brings somebody who has forgotten their password a link by which to set a new one.
func Forgotten(organisation, name string) Letter {
	return Letter{
		Kind:    Passwords,
		Link:    LinkPassword,
		Subject: "A new password for " + organisation,
		Body: fmt.Sprintf(
			"Dear %s,\n\nSomebody, we hope you, asked for a new password. Set it here, once, within the hour:\n\n%s\n\n"+
				"If it was not you, do nothing: your password stays as it is.\n\n%s\n",
			name,
			LinkHere,
			organisation,
		),
	}
}

// runLines is how many people a letter about a worklist names.
const runLines = 200

// Run tells whoever applied a worklist what it did to each person, a line each.
func Run(organisation, name, list, link string, does, already, not int, lines []string) Letter {
	more := ""
	if len(lines) > runLines {
		more = fmt.Sprintf("… and %d more.\n", len(lines)-runLines)
		lines = lines[:runLines]
	}
	return Letter{
		Kind:    Runs,
		Subject: fmt.Sprintf("%s: done for %d, not for %d", list, does, not),
		Body: fmt.Sprintf(
			"Dear %s,\n\n“%s” is applied. Something was done for %d; for %d all was so already; for %d something was not "+
				"possible.\n\nThe whole log, and the way to undo it, is here:\n%s\n\n%s\n%s\n%s\n",
			name, list, does, already, not, link, strings.Join(lines, "\n"), more, organisation,
		),
	}
}

// Request tells somebody who could grant it what somebody else asks for.
func Request(organisation, name, asker, what, reason, link string) Letter {
	return Letter{
		Kind:    Requests,
		Subject: asker + " asks for " + what,
		Body: fmt.Sprintf(
			"Dear %s,\n\n%s asks for %s.\n\n“%s”\n\nWhat it would come to, and who of their peers has it, is shown where "+
				"you grant it, change its terms or refuse it:\n\n%s\n\n%s\n",
			name, asker, what, reason, link, organisation,
		),
	}
}

// Answer tells somebody what became of what they asked for. Words are of whoever answered, and may be empty.
func Answer(organisation, name, who, what, words, link string, granted bool, ends time.Time) Letter {
	l := Letter{Kind: Answers, Subject: "Refused: " + what}
	said := who + " has refused what you asked for: " + what + "."
	if granted {
		l.Subject = "Granted: " + what
		said = who + " has granted what you asked for: " + what + "."
		if !ends.IsZero() {
			said += " It ends by itself on " + model.LastDay(ends) + "."
		}
	}
	if words != "" {
		said += "\n\n“" + words + "”"
	}
	l.Body = fmt.Sprintf("Dear %s,\n\n%s\n\n%s\n\n%s\n", name, said, link, organisation)
	return l
}

// Ending tells somebody that what they were given for a time ends soon, and where to ask for it again.
func Ending(organisation, name, what string, ends time.Time, link string) Letter {
	day := model.LastDay(ends)
	return Letter{
		Kind:    Endings,
		Subject: what + " ends on " + day,
		Body: fmt.Sprintf(
			"Dear %s,\n\nWhat you were given for a time ends by itself on %s: %s.\n\nIf you still need it "+
				"then, ask for it again:\n\n%s\n\n%s\n",
			name, day, what, link, organisation,
		),
	}
}

// Critical tells an owner that somebody else has made a critical change, what is critical in it, and where it can be
// undone.
func Critical(organisation, name, who, why string, what []string, link string) Letter {
	return Letter{
		Kind:    Criticals,
		Subject: who + " has made a critical change",
		Body: fmt.Sprintf(
			"Dear %s,\n\n%s has applied a critical change: “%s”.\n\n%s\n\nIf this should not have happened, undo it here:\n\n%s\n\n%s\n",
			name, who, why, strings.Join(what, "\n"), link, organisation,
		),
	}
}

// Notice tells somebody that how they sign in was changed.
func Notice(organisation, name, what, from string, at time.Time) Letter {
	if from != "" {
		from = " from " + from
	}
	return Letter{
		Kind:    Notices,
		Subject: "How you sign in: " + what,
		Body: fmt.Sprintf(
			"Dear %s,\n\n%s, on %s%s.\n\nIf it was not you, change your password at once, and tell your access "+
				"administrator.\n\n%s\n",
			name, what, at.UTC().Format("2 January 2006 15:04 UTC"), from, organisation,
		),
	}
}

// Doubled tells an owner that somebody signed in by an e-mail address that several accounts have.
func Doubled(organisation, name, address string, accounts []string, link string) Letter {
	return Letter{
		Kind:    Notices,
		Subject: "Several accounts have the address " + address,
		Body: fmt.Sprintf(
			"Dear %s,\n\nSomebody signed in by the identity provider with the address %s, which several accounts have:\n\n%s\n\n"+
				"Whoever has a live account gets into that one. An account that was invited with somebody else's address may be "+
				"an attempt to keep them out: look at it, and cancel the invitation.\n\n%s\n\n%s\n",
			name, address, "- "+strings.Join(accounts, "\n- "), link, organisation,
		),
	}
}

// Day puts what was written to somebody on one day into one letter. There must be two letters or more.
func Day(organisation, name string, letters []Letter) Letter {
	var body strings.Builder
	fmt.Fprintf(&body, "Dear %s,\n\n", name)
	for _, l := range letters {
		fmt.Fprintf(&body, "— %s\n\n", l.Subject)
		parts := Paragraphs(l.Body, "")
		if len(parts) > 2 { // but the greeting and the name of the organisation
			parts = parts[1 : len(parts)-1]
		}
		body.WriteString(strings.Join(parts, "\n\n") + "\n\n")
	}
	body.WriteString(organisation + "\n")
	return Letter{
		Subject: fmt.Sprintf("%d things for you: %s …", len(letters), letters[0].Subject),
		Body:    body.String(),
	}
}
