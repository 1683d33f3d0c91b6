package intake

import (
	"slices"

	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/rows"
)

// AlterImport takes a file otherwise.
func (d *Intake) AlterImport(who desk.Actor, id string, how ImportHow) error {
	im, err := d.imported(who, id)
	if err != nil {
		return err
	}
	im.Lock()
	defer im.Unlock()
	read := false
	if how.Kind != nil && intake.Kind(*how.Kind) != im.kind {
		im.kind, im.columns, im.chosen = intake.Kind(*how.Kind), nil, false
		if im.ofLDIF(*how.Kind) {
			im.how.Sheet, im.fixes, read = *how.Kind, map[[2]int]string{}, true
		}
	}
	if how.Reading != nil {
		if part := how.Reading.Sheet; im.ofLDIF(part) && part != im.file.Reading.Sheet {
			im.kind = intake.Kind(part) // they are called alike
		}
		im.how, im.columns, im.chosen, im.fixes, read = *how.Reading, nil, false, map[[2]int]string{}, true
	}
	if how.Columns != nil {
		if im.file == nil || len(how.Columns) != len(im.file.Header) {
			return desk.Refuse(desk.Invalid, "The file has another number of columns.")
		}
		im.columns, im.chosen = how.Columns, true
	}
	if how.Roles != nil || how.NoRoles {
		for _, r := range how.Roles {
			if d.Present().Design().Get(model.KindRole, r) == nil {
				return desk.Refuse(desk.NotFound, "There is no role %q.", r)
			}
		}
		im.options.Roles = how.Roles
	}
	if how.Bare != nil {
		im.options.Bare = *how.Bare
	}
	if how.Missing != nil {
		im.options.Missing = *how.Missing
	}
	if how.Days != nil {
		im.options.Days = *how.Days
	}
	if how.Share != nil {
		im.options.Share = *how.Share
	}
	return d.begin(who, im, read)
}

// ofLDIF tells whether the file is LDIF with people and groups, of which this is one.
func (im *importing) ofLDIF(part string) bool {
	return im.file != nil && im.file.Reading.Form == rows.LDIF && slices.Contains(im.file.Sheets, part)
}

// CorrectImport corrects a cell of a file, here and not in the file; if alike, in every row in which it is wrong by
// the same text.
func (d *Intake) CorrectImport(who desk.Actor, id string, row, column int, text string, alike bool) error {
	im, err := d.imported(who, id)
	if err != nil {
		return err
	}
	im.Lock()
	defer im.Unlock()
	if im.file == nil || row < 0 || row >= len(im.file.Rows) || column < 0 || column >= len(im.file.Header) {
		return desk.Refuse(desk.NotFound, "The file has no such cell.")
	}
	list := []int{row}
	if alike && im.trial != nil && row < len(im.cells) && column < len(im.cells[row]) {
		if all := im.alike[wrongCell{column, im.cells[row][column]}]; slices.Contains(all, row) {
			list = all
		}
	}
	for _, r := range list {
		if im.fixes[[2]int{r, column}] = text; text == im.original(r, column) {
			delete(im.fixes, [2]int{r, column})
		}
	}
	return d.begin(who, im, false)
}
