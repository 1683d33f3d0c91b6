package store

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// DraftEdit is one act of a person's unapplied changes.
type DraftEdit struct {
	User  string `gorm:"primaryKey"`
	Seq   int    `gorm:"primaryKey;autoIncrement:false"` // its place in the draft, from 0
	Value []byte
	Hash  string // of the value
}

// NewDraftEdit makes an act of its value, with its hash.
func NewDraftEdit(value []byte) DraftEdit {
	sum := sha256.Sum256(value)
	return DraftEdit{Value: value, Hash: hex.EncodeToString(sum[:12])}
}

// HashOf gives the hash of the acts of a draft, in their order; empty if there are none.
func HashOf(edits []DraftEdit) string {
	if len(edits) == 0 {
		return ""
	}
	var all strings.Builder
	for _, e := range edits {
		all.WriteString(e.Hash)
	}
	sum := sha256.Sum256([]byte(all.String()))
	return hex.EncodeToString(sum[:12])
}

// Draft gives the acts of a person's draft, in their order.
func (s *Store) Draft(user string) (out []DraftEdit, err error) {
	return out, s.db.Where("user = ?", user).Order("seq").Find(&out).Error
}

// DraftHash gives the hash of a person's draft without reading its acts; empty if there is none.
func (s *Store) DraftHash(user string) (string, error) {
	var edits []DraftEdit
	err := s.db.Select("hash").Where("user = ?", user).Order("seq").Find(&edits).Error
	return HashOf(edits), err
}

// DraftSize tells how many acts a person's draft has.
func (s *Store) DraftSize(user string) (int, error) {
	var n int64
	err := s.db.Model(&DraftEdit{}).Where("user = ?", user).Count(&n).Error
	return int(n), err
}

// SaveDraft keeps the acts of a person's draft in place of what was kept; only those are written that differ.
func (s *Store) SaveDraft(user string, edits []DraftEdit) error {
	return s.write(func(tx *gorm.DB) error {
		var kept []DraftEdit
		if err := tx.Select("seq", "hash").Where("user = ?", user).Order("seq").Find(&kept).Error; err != nil {
			return err
		}
		if len(kept) > len(edits) {
			if err := tx.Where("user = ? AND seq >= ?", user, len(edits)).Delete(&DraftEdit{}).Error; err != nil {
				return err
			}
		}
		for i, e := range edits {
			if i < len(kept) && kept[i].Hash == e.Hash {
				continue
			}
			e.User, e.Seq = user, i
			if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&e).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// DropDraft forgets a person's draft.
func (s *Store) DropDraft(user string) error {
	return s.w.Where("user = ?", user).Delete(&DraftEdit{}).Error
}

// splitDraft makes acts of a draft that an earlier program kept as one text.
func splitDraft(user string, text []byte) ([]DraftEdit, error) {
	var values []json.RawMessage
	if len(text) == 0 {
		return nil, nil
	}
	if err := json.Unmarshal(text, &values); err != nil {
		return nil, err
	}
	edits := make([]DraftEdit, len(values))
	for i, v := range values {
		edits[i] = NewDraftEdit(v)
		edits[i].User, edits[i].Seq = user, i
	}
	return edits, nil
}
