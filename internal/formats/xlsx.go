package formats

import (
	"fmt"
	"io"

	"github.com/xuri/excelize/v2"
)

// Sheet is one table of a workbook, with a picture of its first figure.
type Sheet struct {
	Title   string   // what it shows, in a sentence
	Notes   []string // what has to be said besides
	Columns []Column
	Rows    [][]any // texts, numbers, nil for nothing
	// Drawn: the first column of numbers is drawn beside the table.
	Drawn bool
}

// Column is one of a sheet.
type Column struct {
	Name   string
	Format string // of its numbers, as spreadsheets write it; "" for texts
}

const (
	maxSheetText = 32_000 // of a cell
	tableName    = "Report"
)

// WriteXLSX writes a workbook with one sheet. A text is never a formula, whatever it begins with.
func WriteXLSX(w io.Writer, s Sheet) (err error) {
	f := excelize.NewFile()
	defer func() {
		if closed := f.Close(); err == nil {
			err = closed
		}
	}()
	if err := f.SetSheetName("Sheet1", tableName); err != nil {
		return err
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	line := 1
	for i, text := range append([]string{s.Title}, s.Notes...) {
		if err := f.SetCellStr(tableName, cell(1, line), cut(text)); err != nil {
			return err
		}
		if i == 0 {
			_ = f.SetCellStyle(tableName, cell(1, line), cell(1, line), bold)
		}
		line++
	}
	line++
	head := line
	for c, column := range s.Columns {
		if err := f.SetCellStr(tableName, cell(c+1, head), cut(column.Name)); err != nil {
			return err
		}
		if err := s.format(f, c, column, head); err != nil {
			return err
		}
	}
	_ = f.SetCellStyle(tableName, cell(1, head), cell(max(1, len(s.Columns)), head), bold)
	for r, row := range s.Rows {
		for c, value := range row {
			if err := setCell(f, cell(c+1, head+1+r), value); err != nil {
				return err
			}
		}
	}
	_ = f.SetColWidth(tableName, "A", "A", 32)
	if s.Drawn && len(s.Rows) > 0 && len(s.Columns) > 1 {
		if err := s.draw(f, head); err != nil {
			return err
		}
	}
	return f.Write(w)
}

func (s Sheet) format(f *excelize.File, c int, column Column, head int) error {
	if column.Format == "" || len(s.Rows) == 0 {
		return nil
	}
	style, err := f.NewStyle(&excelize.Style{CustomNumFmt: &column.Format})
	if err != nil {
		return err
	}
	return f.SetCellStyle(tableName, cell(c+1, head+1), cell(c+1, head+len(s.Rows)), style)
}

func (s Sheet) draw(f *excelize.File, head int) error {
	last := head + len(s.Rows)
	return f.AddChart(tableName, cell(len(s.Columns)+2, head), &excelize.Chart{
		Type: excelize.Col,
		Series: []excelize.ChartSeries{{
			Name:       fmt.Sprintf("%s!$B$%d", tableName, head),
			Categories: fmt.Sprintf("%s!$A$%d:$A$%d", tableName, head+1, last),
			Values:     fmt.Sprintf("%s!$B$%d:$B$%d", tableName, head+1, last),
			Fill:       excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"6D2E58"}},
		}},
		Title:     excelize.ChartTitle{Paragraph: []excelize.RichTextRun{{Text: cut(s.Title)}}},
		Legend:    excelize.ChartLegend{Position: "none"},
		Dimension: excelize.ChartDimension{Width: 720, Height: 360},
	})
}

func setCell(f *excelize.File, at string, value any) error {
	switch v := value.(type) {
	case nil:
		return nil
	case string:
		return f.SetCellStr(tableName, at, cut(v))
	}
	return f.SetCellValue(tableName, at, value)
}

func cell(column, line int) string {
	name, err := excelize.CoordinatesToCellName(column, line)
	if err != nil {
		panic(err) // both count from 1
	}
	return name
}

func cut(text string) string {
	if r := []rune(text); len(r) > maxSheetText {
		return string(r[:maxSheetText])
	}
	return text
}
