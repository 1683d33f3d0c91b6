package survey

import (
	"slices"
	"time"

	"fachwerk/internal/core/finding"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// FindingsDue writes to everybody who owns something of which anything is loose, on Mondays, once a week. What is set
// aside is not told.
func (d *Surveyor) FindingsDue() error {
	now := d.Now()
	local := now.In(d.Zone())
	if local.Weekday() != time.Monday {
		return nil
	}
	key := "findings of " + local.Format(time.DateOnly)
	if untold, err := d.Store.Untold([]string{key}); err != nil || len(untold) == 0 {
		return err
	}
	h := d.Present()
	list, err := d.survey(&desk.Sight{House: h, Present: h, At: now, Whole: true})
	if err != nil {
		return err
	}
	asides, err := d.Store.Asides(now)
	if err != nil {
		return err
	}
	declined, err := d.Store.Declined(post.Findings)
	if err != nil {
		return err
	}
	var owners []string
	loose := map[string][]post.Loose{} // by owner
	for i := range list {
		f := &list[i]
		if _, aside := asides[f.ID()]; aside {
			continue
		}
		told := map[string]bool{} // one who owns two of the things is told once
		for _, o := range f.Objects {
			owner := ownerOf(h.Design(), o)
			u, ok := h.Design().Users.Find(owner)
			if !ok || told[owner] || u.Email == "" || declined[owner] || !h.Index.Live(owner, now) ||
				!slices.Contains(ownersOf, f.Kind) && !d.May(h, desk.Actor{User: owner}, model.ViewDesign) {
				continue
			}
			if told[owner] = true; loose[owner] == nil {
				owners = append(owners, owner)
			}
			loose[owner] = append(loose[owner], post.Loose{Weight: f.Weight, Says: f.Says()})
		}
	}
	slices.Sort(owners)
	var letters []store.Letter
	write := d.LetterToEach()
	for _, owner := range owners {
		u, _ := h.Design().Users.Find(owner)
		link := ""
		if d.May(h, desk.Actor{User: owner}, model.ViewDesign) {
			link = d.Outside + "/findings"
		}
		all := loose[owner]
		slices.SortStableFunc(all, func(a, b post.Loose) int { return b.Weight - a.Weight })
		letters = append(letters, write(u, "", post.Weekly(h.Design().Organisation.Name, u.DisplayName, all, link)))
	}
	return d.Store.Tell(now, []string{key}, letters)
}

// ownersOf are the kinds that are told to owners who see nothing else of the design: they say nothing of anybody.
var ownersOf = []finding.Kind{
	finding.UnheldRole, finding.UnusedSet, finding.EmptyGroup, finding.IdleGroup, finding.NearRoles, finding.Dangling,
	finding.Drifted,
}

// ownerOf gives who owns a thing; nobody of what has no owner.
func ownerOf(d *model.Design, o finding.Object) string {
	switch x := d.Get(o.Kind, o.ID).(type) {
	case *model.Role:
		return x.Owner
	case *model.Set:
		return x.Owner
	case *model.Group:
		return x.Owner
	}
	return ""
}
