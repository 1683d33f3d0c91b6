package desk

import (
	"fmt"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
)

// readUses takes in the uses that are kept and have not been read yet. Those of the last second are read once more,
// since more may be kept within it.
func (d *Desk) readUses() error {
	since := d.usesRead.Swap(d.Now().Unix())
	return d.Store.Uses(since, func(u use.Use) { d.Uses.Restore(u) })
}

// mayBe refuses uses that lie too far ahead.
func (d *Desk) mayBe(uses []use.Use) error {
	for _, u := range uses {
		if use.TooFar(u.At, d.Now()) {
			return Refuse(Invalid, "%s cannot have used %s at %s: that lies more than a day ahead.",
				u.User, u.What, u.At.UTC().Format(time.RFC3339))
		}
	}
	return nil
}

// KeepUses keeps what uses have been noted since the last time, and takes in what another process has kept. What cannot
// be kept is kept the next time.
func (d *Desk) KeepUses() error {
	fresh := d.Uses.Fresh()
	if err := d.Store.SaveUses(fresh, d.Now()); err != nil {
		d.Uses.Return(fresh)
		return err
	}
	return d.readUses()
}

// UseTold is a use as a program tells it: of a system or of a permission.
type UseTold struct {
	User       string    `json:"user" maxLength:"200" doc:"A user's id, or else userName"`
	System     string    `json:"system,omitempty" maxLength:"200" doc:"A system's id"`
	Permission string    `json:"permission,omitempty" maxLength:"200" doc:"A permission's key, in place of a system"`
	At         time.Time `json:"at"`
}

// UsesNoted is what came of uses that were told.
type UsesNoted struct {
	Noted int `json:"noted" doc:"How many were later than what was known"`
	Known int `json:"known" doc:"How many changed nothing, since as late a use is known"`
}

// MayNoteUses refuses who may not tell when others used something: it keeps access as much as a right does, since who
// uses something is not asked why they have it.
func (d *Desk) MayNoteUses(who Actor) error {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return err
	}
	return d.Need(h, who, model.EditPeople)
}

// NoteUses notes uses that a program or a file tells: all of them, or none if anything is wrong with one; each problem
// names its place in the list. They are kept once it returns.
func (d *Desk) NoteUses(list []UseTold) (*UsesNoted, error) {
	var wrong []string
	uses := make([]use.Use, 0, len(list))
	for i, t := range list {
		u, field, why := d.useOf(t)
		if why != "" {
			wrong = append(wrong, fmt.Sprintf("[%d].%s: %s", i, field, why))
		}
		uses = append(uses, u)
	}
	if len(wrong) > 0 {
		return nil, &Error{
			Cause: Invalid, Message: "Nothing was noted, since not all of these can be uses.", Problems: firstOf(wrong),
		}
	}
	return d.TakeUses(uses)
}

// TakeUses notes uses and keeps them.
func (d *Desk) TakeUses(uses []use.Use) (*UsesNoted, error) {
	out := &UsesNoted{}
	for _, u := range uses {
		if last, known := d.Uses.Last(u.User, u.What); known && !u.At.After(last) {
			out.Known++
			continue
		}
		d.Uses.Note(u)
		out.Noted++
	}
	return out, d.KeepUses()
}

// useOf gives what was told as a use, or the field that is wrong with it, and why.
func (d *Desk) useOf(t UseTold) (u use.Use, field, why string) {
	h := d.Present()
	id, known := h.Index.UserID(t.User)
	u = use.Use{User: id, What: t.System, At: t.At.UTC()}
	if t.Permission != "" {
		u.What = t.Permission
	}
	_, catalogued := h.Design().Permission(t.Permission)
	switch {
	case !known:
		return u, "user", fmt.Sprintf("there is no user %q", t.User)
	case u.What == "":
		return u, "system", "name a system, or a permission"
	case t.Permission != "" && t.System != "" && use.SystemOf(t.Permission) != t.System:
		return u, "permission", fmt.Sprintf("%q is no permission of the system %q: name one of them", t.Permission, t.System)
	case t.Permission != "" && !catalogued:
		return u, "permission", fmt.Sprintf("no catalogue has the permission %q", t.Permission)
	case t.Permission == "" && h.Design().Get(model.KindSystem, t.System) == nil:
		return u, "system", fmt.Sprintf("there is no system %q", t.System)
	case t.At.IsZero():
		return u, "at", "say when"
	case use.TooFar(t.At, d.Now()):
		return u, "at", u.At.Format(time.RFC3339) + " lies more than a day ahead"
	}
	return u, "", ""
}
