package store

import (
	"errors"
	"regexp"
	"slices"
	"time"

	"gorm.io/gorm"
)

// Credential gives what lets a user sign in; [ErrNotFound] if the user never set a password.
func (s *Store) Credential(user string) (c Credential, err error) {
	return c, first(s.db, &c, "user = ?", user)
}

// SaveCredential keeps a user's password hash in place of an earlier one.
func (s *Store) SaveCredential(c Credential) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Save(&c).Error; err != nil {
			return err
		}
		return seal(tx, "password", c.User)
	})
}

// DropCredential forgets a user's password; all their sessions stay.
func (s *Store) DropCredential(user string) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Where("user = ?", user).Delete(&Credential{}).Error; err != nil {
			return err
		}
		return seal(tx, "password", user)
	})
}

// SaveLink keeps a link, and ends those that its user had before.
func (s *Store) SaveLink(l Link) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Where("user = ?", l.User).Delete(&Link{}).Error; err != nil {
			return err
		}
		return tx.Create(&l).Error
	})
}

// Linked gives the users for whom there are links, whether these have run out or not.
func (s *Store) Linked() (users []string, err error) {
	return users, s.db.Model(&Link{}).Distinct().Pluck("user", &users).Error
}

// DropLinks ends the links of some users.
func (s *Store) DropLinks(users ...string) error {
	return inParts(users, func(part []string) error { return s.w.Where("user IN ?", part).Delete(&Link{}).Error })
}

// inParts calls do with some ids at a time: a statement of SQLite takes only so many.
func inParts(ids []string, do func(part []string) error) error {
	for part := range slices.Chunk(ids, 10_000) {
		if err := do(part); err != nil {
			return err
		}
	}
	return nil
}

// Link looks at a link without using it up; [ErrNotFound] if there is none or it has run out.
func (s *Store) Link(hash string, now time.Time) (l Link, err error) {
	if err = first(s.db, &l, "hash = ?", hash); err == nil && !now.Before(l.Expires) {
		err = ErrNotFound
	}
	return l, err
}

// UseLink uses a link up and has kept what its person comes in by from now on, both or neither; [ErrNotFound] if it has
// been used or has run out.
func (s *Store) UseLink(hash string, now time.Time, keep func(*Store) error) error {
	return s.Together(func(s *Store) error {
		l, err := s.Link(hash, now)
		if err != nil {
			return err
		}
		return errors.Join(s.DropLinks(l.User), keep(s))
	})
}

// SetPassword keeps a credential in place of an earlier one; all sessions of its user but one end, and their links.
func (s *Store) SetPassword(c Credential, now time.Time, stays string) error {
	return s.Together(func(s *Store) error {
		return errors.Join(s.DropLinks(c.User), s.EndSessions(now, stays, c.User), s.SaveCredential(c))
	})
}

// Identity gives whom an identity provider means by a subject; [ErrNotFound] if it was never seen.
func (s *Store) Identity(issuer, subject string) (i Identity, err error) {
	return i, first(s.db, &i, "issuer = ? AND subject = ?", issuer, subject)
}

// SaveIdentity keeps whom an identity provider means by a subject.
func (s *Store) SaveIdentity(i Identity) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Create(&i).Error; err != nil {
			return err
		}
		return seal(tx, "ties to the identity provider", i.User)
	})
}

// IdentityOf gives by which subject an identity provider knows a user; [ErrNotFound] if it does not.
func (s *Store) IdentityOf(issuer, user string) (i Identity, err error) {
	return i, first(s.db, &i, "issuer = ? AND user = ?", issuer, user)
}

// Identities gives by which subjects identity providers know a user, the first one first.
func (s *Store) Identities(user string) (list []Identity, err error) {
	return list, s.db.Where("user = ?", user).Order("since, subject").Find(&list).Error
}

// DropIdentities forgets by which subjects providers know a user, and tells how many there were.
func (s *Store) DropIdentities(user string) (n int64, err error) {
	return n, s.write(func(tx *gorm.DB) error {
		done := tx.Where("user = ?", user).Delete(&Identity{})
		if n = done.RowsAffected; done.Error != nil {
			return done.Error
		}
		return seal(tx, "ties to the identity provider", user)
	})
}

// Factors gives a user's factors, in the order in which they were made.
func (s *Store) Factors(user string) (out []Factor, err error) {
	return out, s.db.Where("user = ?", user).Order("made, id").Find(&out).Error
}

// FactorUsers gives the ids of all who have a factor.
func (s *Store) FactorUsers() (out []string, err error) {
	return out, s.db.Model(&Factor{}).Where("kind <> 'recovery'").Distinct("user").Pluck("user", &out).Error
}

// SaveFactors keeps factors; with drop, in place of a user's factors of that kind.
func (s *Store) SaveFactors(user, drop string, list ...Factor) error {
	return s.write(func(tx *gorm.DB) error {
		if drop != "" {
			if err := tx.Where("user = ? AND kind = ?", user, drop).Delete(&Factor{}).Error; err != nil {
				return err
			}
		}
		for _, f := range list {
			if err := tx.Save(&f).Error; err != nil {
				return err
			}
		}
		return seal(tx, "second factors", user)
	})
}

// DropFactor forgets a user's factor, and with the last one but recovery codes these too; [ErrNotFound] if there is
// none of that id.
func (s *Store) DropFactor(user, id string) error {
	return s.write(func(tx *gorm.DB) error {
		done := tx.Where("user = ? AND id = ?", user, id).Delete(&Factor{})
		if done.Error == nil && done.RowsAffected == 0 {
			return ErrNotFound
		}
		if done.Error != nil {
			return done.Error
		}
		var left int64
		if err := tx.Model(&Factor{}).Where("user = ? AND kind <> 'recovery'", user).Count(&left).Error; err != nil ||
			left > 0 {
			return errors.Join(err, seal(tx, "second factors", user))
		}
		if err := tx.Where("user = ?", user).Delete(&Factor{}).Error; err != nil {
			return err
		}
		return seal(tx, "second factors", user)
	})
}

// UseRecovery uses up a recovery code; [ErrNotFound] if the user has none with that hash.
func (s *Store) UseRecovery(user, hash string) error {
	return s.write(func(tx *gorm.DB) error {
		done := tx.Where("user = ? AND kind = 'recovery' AND data = ?", user, []byte(hash)).Delete(&Factor{})
		if done.Error == nil && done.RowsAffected == 0 {
			return ErrNotFound
		}
		return errors.Join(done.Error, seal(tx, "second factors", user))
	})
}

// UseStep keeps the step of a time code that was used; [ErrNotFound] if it, or a later one, was used before.
func (s *Store) UseStep(id string, step int64, at time.Time) error {
	done := s.w.Model(&Factor{}).
		Where("id = ? AND step < ?", id, step).
		Updates(map[string]any{"step": step, "used": at.UTC()})
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrNotFound
	}
	return done.Error
}

// StartSession keeps that somebody has signed in.
func (s *Store) StartSession(v SignedIn) error { return s.w.Create(&v).Error }

// EndSessions ends the sessions of some users, but for one if it is named.
func (s *Store) EndSessions(at time.Time, stays string, users ...string) error {
	return inParts(users, func(part []string) error {
		return s.w.Model(&SignedIn{}).
			Where("user IN ? AND ended IS NULL AND id <> ?", part, stays).
			Update("ended", at.UTC()).
			Error
	})
}

// EndSession ends one session of a user; [ErrNotFound] if they have none of that id.
func (s *Store) EndSession(user, id string, at time.Time) error {
	done := s.w.Model(&SignedIn{}).Where("user = ? AND id = ? AND ended IS NULL", user, id).Update("ended", at.UTC())
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrNotFound
	}
	return done.Error
}

// SeenSession keeps when a session was last used.
func (s *Store) SeenSession(id string, at time.Time) error {
	return s.w.Model(&SignedIn{}).Where("id = ?", id).Update("seen", at.UTC()).Error
}

// Session gives a session by its id; [ErrNotFound] if there is none.
func (s *Store) Session(id string) (v SignedIn, err error) { return v, first(s.db, &v, "id = ?", id) }

// SessionsOf gives the sessions of a user that have not ended, latest first.
func (s *Store) SessionsOf(user string) (out []SignedIn, err error) {
	return out, s.db.Where("user = ? AND ended IS NULL", user).Order("at desc").Find(&out).Error
}

// SaveToken keeps a program's token.
func (s *Store) SaveToken(t Token) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Create(&t).Error; err != nil {
			return err
		}
		return seal(tx, "token", t.Hash)
	})
}

// Token gives a program's token by its hash; [ErrNotFound] if there is none.
func (s *Store) Token(hash string) (t Token, err error) { return t, first(s.db, &t, "hash = ?", hash) }

// Tokens gives all tokens for a purpose, in the order in which they were made.
func (s *Store) Tokens(purpose string) (out []Token, err error) {
	return out, s.db.Where("purpose = ?", purpose).Order("made").Find(&out).Error
}

// AllTokens gives all tokens, latest first.
func (s *Store) AllTokens() (out []Token, err error) {
	return out, s.db.Order("made desc").Find(&out).Error
}

// ReplaceTokens makes some tokens all that there are.
func (s *Store) ReplaceTokens(list []Token) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Where("1 = 1").Delete(&Token{}).Error; err != nil || len(list) == 0 {
			return err
		}
		return tx.CreateInBatches(list, 200).Error
	})
}

// AlterToken keeps whose a token is, and when it was last used, ends or was withdrawn.
func (s *Store) AlterToken(t Token) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Model(&Token{}).Where("hash = ?", t.Hash).Select("By", "Expires", "Used", "Ended").
			Updates(&t).Error; err != nil {
			return err
		}
		return seal(tx, "token", t.Hash)
	})
}

// SeenToken keeps when a token was last used, and nothing else of it: it may be withdrawn meanwhile.
func (s *Store) SeenToken(hash string, at time.Time) error {
	return s.w.Model(&Token{}).Where("hash = ?", hash).Update("used", at.UTC()).Error
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

// linkInLetter is how links stood in letters that earlier programs wrote.
var linkInLetter = regexp.MustCompile(`\S*/welcome/[A-Z2-7]+`)

// withoutLinks takes working links out of letters that lie in the outbox.
func withoutLinks(tx *gorm.DB) error {
	var letters []Letter
	if err := tx.Where("body LIKE '%/welcome/%'").Find(&letters).Error; err != nil {
		return err
	}
	for _, l := range letters {
		body := linkInLetter.ReplaceAllString(l.Body, "[the link was handed over]")
		if err := tx.Model(&Letter{}).Where("id = ?", l.ID).Update("body", body).Error; err != nil {
			return err
		}
	}
	return nil
}

// Retention says for how many days is kept what is no part of the record; what is 0 is kept for good.
type Retention struct {
	SessionDays  int // sessions, once they have ended or were last used
	LinkDays     int // links, once they have run out
	LetterDays   int // letters, once they are written
	UseDays      int // when somebody last used something, once that is so long ago
	EvidenceDays int // the evidence that items of a review were decided by, once it is closed
}

// Forget deletes what has been kept for long enough.
func (s *Store) Forget(r Retention, now time.Time) error {
	return s.write(func(tx *gorm.DB) error {
		before := func(days int) time.Time { return now.UTC().AddDate(0, 0, -days) }
		var errs []error
		if r.SessionDays > 0 {
			errs = append(errs, tx.Where("coalesce(ended, seen) < ?", before(r.SessionDays)).Delete(&SignedIn{}).Error)
		}
		if r.LinkDays > 0 {
			errs = append(errs, tx.Where("expires < ?", before(r.LinkDays)).Delete(&Link{}).Error)
		}
		if r.LetterDays > 0 {
			errs = append(errs, tx.Where("written < ?", before(r.LetterDays)).Delete(&Letter{}).Error)
		}
		if r.UseDays > 0 {
			errs = append(errs, tx.Where("at < ?", before(r.UseDays).UnixNano()).Delete(&lastUse{}).Error)
		}
		errs = append(errs, tx.Where("at < ?", before(placeDays)).Delete(&Place{}).Error)
		errs = append(errs, dropIdleRuns(tx, before(idleRunDays)))
		if r.EvidenceDays > 0 {
			errs = append(errs, tx.Model(&ReviewItem{}).
				Where("evidence IS NOT NULL AND review IN (SELECT id FROM reviews WHERE closed < ?)", before(r.EvidenceDays)).
				Update("evidence", nil).Error)
		}
		return errors.Join(errs...)
	})
}
