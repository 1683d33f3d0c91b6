package store

import (
	"time"

	"gorm.io/gorm"
)

// Invitation asks somebody in, until a day. A person has one at a time that counts: the last.
type Invitation struct {
	ID       int    `gorm:"primaryKey"`
	User     string `gorm:"index"`
	By       string // who sent it
	At       time.Time
	Until    time.Time
	Letter   int // by which it goes; 0: its link goes by hand
	Opened   *time.Time
	Accepted *time.Time
}

// Invited keeps an invitation in place of earlier ones of the same person, with its letter, if it goes by one.
func (s *Store) Invited(i Invitation, l *Letter) error {
	return s.write(func(tx *gorm.DB) error {
		if l != nil {
			list := []Letter{*l}
			if err := within(tx).WriteAll(list); err != nil {
				return err
			}
			i.Letter = list[0].ID
		}
		return tx.Create(&i).Error
	})
}

// Invitations gives of each person the last invitation.
func (s *Store) Invitations() (map[string]Invitation, error) {
	var list []Invitation
	err := s.db.Where("id IN (?)", s.db.Model(&Invitation{}).Select("max(id)").Group("user")).Find(&list).Error
	out := make(map[string]Invitation, len(list))
	for _, i := range list {
		out[i.User] = i
	}
	return out, err
}

// Invitation gives the last invitation of a person; [ErrNotFound] if there is none.
func (s *Store) Invitation(user string) (i Invitation, err error) {
	return i, s.db.Where("user = ?", user).Order("id desc").Take(&i).Error
}

// LettersBy gives letters by their ids.
func (s *Store) LettersBy(ids []int) (map[int]Letter, error) {
	out := make(map[int]Letter, len(ids))
	for n := 0; n < len(ids); n += 10_000 {
		var list []Letter
		if err := s.db.Where("id IN ?", ids[n:min(len(ids), n+10_000)]).Find(&list).Error; err != nil {
			return nil, err
		}
		for _, l := range list {
			out[l.ID] = l
		}
	}
	return out, nil
}

// EndInvitation lets the last invitation of a person run out.
func (s *Store) EndInvitation(user string, at time.Time) error {
	return s.w.Exec("UPDATE invitations SET until = ? WHERE id = (SELECT max(id) FROM invitations WHERE user = ?)",
		at.UTC(), user).Error
}

// InvitationOpened keeps when a person first followed the link of their invitation.
func (s *Store) InvitationOpened(user string, at time.Time) error {
	return s.w.Model(&Invitation{}).Where("user = ? AND opened IS NULL", user).Update("opened", at.UTC()).Error
}

// InvitationAccepted keeps when a person came in.
func (s *Store) InvitationAccepted(user string, at time.Time) error {
	return s.w.Model(&Invitation{}).Where("user = ? AND accepted IS NULL", user).Update("accepted", at.UTC()).Error
}

// ExtendInvitation lets the last invitation of a person, and the link that was made of it, be good until a day.
func (s *Store) ExtendInvitation(user string, until time.Time) error {
	return s.write(func(tx *gorm.DB) error {
		var i Invitation
		if err := tx.Where("user = ?", user).Order("id desc").Take(&i).Error; err != nil {
			return err
		}
		if err := tx.Model(&Invitation{}).Where("id = ?", i.ID).Update("until", until.UTC()).Error; err != nil {
			return err
		}
		return tx.Model(&Link{}).Where(`user = ? AND "for" = 'invitation'`, user).Update("expires", until.UTC()).Error
	})
}
