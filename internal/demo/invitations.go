package demo

import (
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// invitations keeps how people were asked in, so that there is one in each state: to be sent, sent, returned, opened,
// accepted, run out and cancelled.
func invitations(s *store.Store, final *model.Design, now time.Time) error {
	stand := map[string]func(i *store.Invitation, l *store.Letter){
		"ms-gannet": nil, // to be sent
		"pilots":    func(_ *store.Invitation, l *store.Letter) { l.State = store.LetterSent },
		"bulk-quay": func(_ *store.Invitation, l *store.Letter) {
			l.State, l.Trouble = store.LetterReturned, "550 5.1.1 there is no such mailbox"
		},
		"terminal-1": func(i *store.Invitation, l *store.Letter) {
			opened := now.Add(-20 * time.Hour)
			l.State, i.Opened = store.LetterSent, &opened
		},
		"container-yard": func(i *store.Invitation, l *store.Letter) {
			l.State, i.At, i.Until = store.LetterSent, now.AddDate(0, 0, -17), now.AddDate(0, 0, -10)
		},
		"terminal-2": func(_ *store.Invitation, l *store.Letter) { l.State = store.LetterSent }, // and cancelled
	}
	accepted := now.AddDate(0, -1, 0)
	for _, u := range final.Users {
		mark := stand[u.Area]
		switch {
		case u.ID == "noor.tamsin":
			mark = func(i *store.Invitation, l *store.Letter) {
				l.State, i.At, i.Until = store.LetterSent, accepted.AddDate(0, 0, -2), accepted.AddDate(0, 0, 5)
				i.Opened, i.Accepted = &accepted, &accepted
			}
		case u.State != model.UserInvited && !(u.Area == "terminal-2" && u.State == model.UserDeactivated), mark == nil:
			continue
		}
		i := store.Invitation{User: u.ID, By: "signe.halloran", At: now.AddDate(0, 0, -2), Until: now.AddDate(0, 0, 5)}
		l := store.Letter{User: u.ID, To: u.Email, By: i.By, Tries: 1}
		mark(&i, &l)
		said := post.Invitation(final.Organisation.Name, u.DisplayName, "Signe Halloran", i.Until)
		l.Kind, l.Subject, l.Body, l.Link = said.Kind, said.Subject, said.Body, said.Link
		if l.Written = i.At; l.State == store.LetterSent {
			l.Sent = &i.At
		}
		if err := s.Invited(i, &l); err != nil {
			return err
		}
	}
	return nil
}
