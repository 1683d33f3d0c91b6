package rows

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"time"

	"github.com/xuri/excelize/v2"
)

func (f *File) workbook(data []byte) (err error) {
	book, err := excelize.OpenReader(
		bytes.NewReader(data),
		excelize.Options{UnzipSizeLimit: 256 << 20, UnzipXMLSizeLimit: 64 << 20},
	)
	if err != nil {
		return fmt.Errorf("the workbook cannot be opened: %w", err)
	}
	defer func() { err = cmp.Or(err, book.Close()) }()
	if f.Sheets = sheetsOf(book); len(f.Sheets) == 0 {
		return errors.New("the workbook has no sheets")
	}
	f.Reading.Sheet = cmp.Or(f.Reading.Sheet, f.Sheets[0])
	if !slices.Contains(f.Sheets, f.Reading.Sheet) {
		return fmt.Errorf("the workbook has no sheet %q", f.Reading.Sheet)
	}
	in, err := book.Rows(f.Reading.Sheet)
	if err != nil {
		return err
	}
	var all [][]string
	var lines []int
	cells := 0
	for line := 1; in.Next(); line++ {
		row, err := in.Columns(excelize.Options{RawCellValue: false})
		if err != nil {
			return fmt.Errorf("row %d cannot be read: %w", line, err)
		}
		if cells += len(row); cells > maxCells || len(row) > maxColumns {
			return tooMuch(line)
		}
		all, lines = append(all, row), append(lines, line)
	}
	if err := cmp.Or(in.Error(), in.Close()); err != nil {
		return err
	}
	if err := days(book, f.Reading.Sheet, all); err != nil {
		return err
	}
	f.head(all, lines)
	return nil
}

// dayLike is how cells that hold days and instants look, in whatever order and language their format has them.
var dayLike = regexp.MustCompile(`^\D{0,12}\d{1,4}\s?[-/. ]\s?(\d{1,2}|\pL{3,12}\.?)[-/. ,]|^\d{1,2}:\d{2}`)

// days puts days and instants in place of how their cells show them: a cell holds a number, and whether that shows day
// or month first depends on who made the workbook.
func days(book *excelize.File, sheet string, all [][]string) error {
	looks := func(row []string) bool { return slices.ContainsFunc(row, dayLike.MatchString) }
	if !slices.ContainsFunc(all, looks) {
		return nil
	}
	props, err := book.GetWorkbookProps()
	if err != nil {
		return err
	}
	from1904 := props.Date1904 != nil && *props.Date1904
	in, err := book.Rows(sheet)
	if err != nil {
		return err
	}
	for i := 0; in.Next() && i < len(all); i++ {
		raw, err := in.Columns(excelize.Options{RawCellValue: true})
		if err != nil {
			return fmt.Errorf("row %d cannot be read: %w", i+1, err)
		}
		for c := range all[i] {
			if c >= len(raw) || raw[c] == all[i][c] || !dayLike.MatchString(all[i][c]) {
				continue
			}
			number, err := strconv.ParseFloat(raw[c], 64)
			if err != nil || number < 1 {
				continue // a text that looks so, or a time of day
			}
			at, err := excelize.ExcelDateToTime(number, from1904)
			if err != nil {
				continue
			}
			if at = at.Round(time.Second); at.Equal(at.Truncate(24 * time.Hour)) {
				all[i][c] = at.Format(time.DateOnly)
			} else {
				all[i][c] = at.Format("2006-01-02 15:04:05")
			}
		}
	}
	return cmp.Or(in.Error(), in.Close())
}

// sheetsOf gives the sheets of a workbook, those first that are shown.
func sheetsOf(book *excelize.File) (shown []string) {
	var hidden []string
	for _, s := range book.GetSheetList() {
		if visible, err := book.GetSheetVisible(s); err == nil && !visible {
			hidden = append(hidden, s)
		} else {
			shown = append(shown, s)
		}
	}
	return append(shown, hidden...)
}
