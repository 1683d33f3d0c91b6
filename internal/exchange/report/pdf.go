package report

import (
	"fmt"
	"io"
	"strings"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
)

// The page, in millimetres: A4 across, so that a row of the items fits.
const (
	margin   = 14.0
	width    = 297 - 2*margin
	bottom   = 16.0
	small    = 8.5 // points
	lineHigh = 4.0 // of small text
	pad      = 1.2 // within a cell
	bold     = "B"
	family   = "go"
)

type pdf struct{ *fpdf.Fpdf }

// PDF writes the report as a document to print and to file: the same that [HTML] tells. Its letters are those of
// European languages.
func PDF(w io.Writer, r Review) error {
	p := pdf{fpdf.New("L", "mm", "A4", "")}
	p.AddUTF8FontFromBytes(family, "", goregular.TTF)
	p.AddUTF8FontFromBytes(family, bold, gobold.TTF)
	p.SetTitle(r.Name, true)
	p.SetCreator("Fachwerk", true)
	p.SetCreationDate(r.Written.UTC())
	p.SetModificationDate(r.Written.UTC())
	p.SetCatalogSort(true)
	p.SetMargins(margin, margin, margin)
	p.SetAutoPageBreak(false, bottom)
	p.SetFooterFunc(func() {
		p.SetY(-11)
		p.SetFont(family, "", small)
		p.CellFormat(width/2, 5, r.Organisation+": "+r.Name, "", 0, "L", false, 0, "")
		p.CellFormat(width/2, 5, fmt.Sprintf("%d of {pages}", p.PageNo()), "", 0, "R", false, 0, "")
	})
	p.AliasNbPages("{pages}")
	p.AddPage()
	p.SetFont(family, bold, 17)
	p.MultiCell(width, 8, r.Name, "", "L", false)
	p.Ln(2)
	for _, f := range facts(r) {
		p.row([]float64{52, width - 52}, []string{f[0], f[1]}, false)
	}
	p.heading("In figures")
	for _, f := range figures(r) {
		p.row([]float64{16, width - 16}, []string{fmt.Sprint(f.N), f.Of}, false)
	}
	p.heading("Items")
	p.list([]string{"No.", "Person", "Access and how it is held", "Evidence", "Decision", "What became of it"},
		[]float64{11, 45, 55, 62, 60, width - 233}, len(r.Items), func(n int) []string { return itemCells(r.Items[n]) })
	if len(r.Tasks) > 0 {
		p.heading("Left to the owners of groups")
		p.list([]string{"Item", "Person", "Access", "Group and owner", "What became of it"},
			[]float64{11, 50, 60, 68, width - 189}, len(r.Tasks), func(n int) []string { return taskCells(r.Tasks[n]) })
	}
	return p.Output(w)
}

func (p pdf) heading(text string) {
	if p.GetY() > 297*0.7-bottom-20 {
		p.AddPage()
	}
	p.Ln(4)
	p.SetFont(family, bold, 12)
	p.CellFormat(width, 7, text, "B", 1, "L", false, 0, "")
}

// list writes rows below a head that every page repeats.
func (p pdf) list(head []string, widths []float64, n int, cells func(n int) []string) {
	p.row(widths, head, true)
	for i := range n {
		if p.row(widths, cells(i), false) {
			continue
		}
		p.AddPage()
		p.row(widths, head, true)
		p.row(widths, cells(i), false)
	}
}

// row writes a row of cells whose texts wrap, and tells whether there was room for it; on an empty page there is.
func (p pdf) row(widths []float64, cells []string, head bool) bool {
	style := ""
	if head {
		style = bold
	}
	p.SetFont(family, style, small)
	lines, high := make([][]string, len(cells)), 1
	for i, c := range cells {
		for part := range strings.SplitSeq(c, "\n") {
			lines[i] = append(lines[i], p.SplitText(printable(part), widths[i]-2*pad)...)
		}
		high = max(high, len(lines[i]))
	}
	_, page := p.GetPageSize()
	x, y := margin, p.GetY()
	height := float64(high)*lineHigh + 2*pad
	if y+height > page-bottom && y > margin+3*lineHigh {
		return false
	}
	for i := range cells {
		for n, line := range lines[i] {
			p.SetXY(x+pad, y+pad+float64(n)*lineHigh)
			p.CellFormat(widths[i]-2*pad, lineHigh, line, "", 0, "L", false, 0, "")
		}
		x += widths[i]
	}
	p.SetDrawColor(190, 180, 160)
	p.Line(margin, y+height, margin+width, y+height)
	p.SetXY(margin, y+height)
	return true
}

// printable leaves out what has no glyph in a document: characters beyond the basic plane.
func printable(s string) string {
	return strings.Map(func(r rune) rune {
		if r > 0xffff {
			return '□'
		}
		return r
	}, s)
}
