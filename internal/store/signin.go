package store

import (
	"errors"
	"time"

	"gorm.io/gorm"
)

// Credential gives what lets a user sign in; [ErrNotFound] if the user never set a password.
func (s *Store) Credential(user string) (c Credential, err error) {
	return c, first(s.db, &c, "user = ?", user)
}

// SaveCredential keeps a user's password hash in place of an earlier one.
func (s *Store) SaveCredential(c Credential) error { return s.w.Save(&c).Error }

// SaveLink keeps a link to set a password.
func (s *Store) SaveLink(l Link) error { return s.w.Create(&l).Error }

// Link looks at a link without using it up; [ErrNotFound] if there is none or it has run out.
func (s *Store) Link(hash string, now time.Time) (l Link, err error) {
	if err = first(s.db, &l, "hash = ?", hash); err == nil && !now.Before(l.Expires) {
		err = ErrNotFound
	}
	return l, err
}

// UseLink uses a link up and keeps the credential that was set by it, both or neither.
func (s *Store) UseLink(hash string, now time.Time, c Credential) error {
	return s.write(func(tx *gorm.DB) error {
		if _, err := (&Store{tx, tx}).Link(hash, now); err != nil {
			return err
		}
		if err := tx.Delete(&Link{Hash: hash}).Error; err != nil {
			return err
		}
		return tx.Save(&c).Error
	})
}

// SaveToken keeps a program's token.
func (s *Store) SaveToken(t Token) error { return s.w.Create(&t).Error }

// Token gives a program's token by its hash; [ErrNotFound] if there is none.
func (s *Store) Token(hash string) (t Token, err error) { return t, first(s.db, &t, "hash = ?", hash) }

// Tokens gives all tokens for a purpose, in the order in which they were made.
func (s *Store) Tokens(purpose string) (out []Token, err error) {
	return out, s.db.Where("purpose = ?", purpose).Order("made").Find(&out).Error
}

// Sessions keeps signed-in browsers, for the session manager.
type Sessions struct{ *Store }

// Find gives a session's data, if it exists and has not run out.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	var v session
	err := first(s.db, &v, "token = ? AND expiry > ?", token, time.Now().UTC())
	if errors.Is(err, ErrNotFound) {
		return nil, false, nil
	}
	return v.Data, err == nil, err
}

// Commit keeps a session until its expiry.
func (s Sessions) Commit(token string, data []byte, expiry time.Time) error {
	if err := s.w.Where("expiry < ?", time.Now().UTC()).Delete(&session{}).Error; err != nil {
		return err
	}
	return s.w.Save(&session{token, data, expiry.UTC()}).Error
}

// Delete ends a session.
func (s Sessions) Delete(token string) error { return s.w.Delete(&session{Token: token}).Error }
