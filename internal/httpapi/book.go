package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// nothing answers that something is done, or with its problem.
func nothing(s *Server, c *gin.Context, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// GetBook implements ServerInterface.
func (s *Server) GetBook(c *gin.Context) {
	v, err := s.desk.Book.Book(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// ListRows implements ServerInterface.
func (s *Server) ListRows(c *gin.Context) {
	if body, ok := read[contract.RowQuery](s, c); ok {
		v, err := s.desk.Book.Rows(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// CountRows implements ServerInterface.
func (s *Server) CountRows(c *gin.Context) {
	if body, ok := read[contract.RowQuery](s, c); ok {
		v, err := s.desk.Book.CountRows(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// AddRecord implements ServerInterface.
func (s *Server) AddRecord(c *gin.Context, p contract.AddRecordParams) {
	if body, ok := read[contract.NewRecord](s, c); ok {
		v, err := s.desk.Book.AddRecord(c.Request.Context(), actor(c), p.IdempotencyKey, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// GetRecord implements ServerInterface.
func (s *Server) GetRecord(c *gin.Context, id contract.ID) {
	v, err := s.desk.Book.Record(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// UpdateRecord implements ServerInterface.
func (s *Server) UpdateRecord(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RecordChange](s, c); ok {
		v, err := s.desk.Book.UpdateRecord(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// RemoveRecord implements ServerInterface.
func (s *Server) RemoveRecord(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.Book.RemoveRecord(c.Request.Context(), actor(c), id))
}

// RestoreRecord implements ServerInterface.
func (s *Server) RestoreRecord(c *gin.Context, id contract.ID) {
	v, err := s.desk.Book.RestoreRecord(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ConvertLead implements ServerInterface.
func (s *Server) ConvertLead(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.Conversion](s, c); ok {
		v, err := s.desk.Book.ConvertLead(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// MarkRecord implements ServerInterface.
func (s *Server) MarkRecord(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.DoNotCallMark](s, c); ok {
		v, err := s.desk.Book.MarkRecord(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// AddNumber implements ServerInterface.
func (s *Server) AddNumber(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.NewNumber](s, c); ok {
		v, err := s.desk.Book.AddNumber(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// ChangeNumber implements ServerInterface.
func (s *Server) ChangeNumber(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.NumberChange](s, c); ok {
		v, err := s.desk.Book.ChangeNumber(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// RemoveNumber implements ServerInterface.
func (s *Server) RemoveNumber(c *gin.Context, id contract.ID) {
	v, err := s.desk.Book.RemoveNumber(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// OrderNumbers implements ServerInterface.
func (s *Server) OrderNumbers(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.NumberOrder](s, c); ok {
		v, err := s.desk.Book.OrderNumbers(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// SetItems implements ServerInterface.
func (s *Server) SetItems(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.Items](s, c); ok {
		v, err := s.desk.Book.SetItems(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// OrderFromQuote implements ServerInterface.
func (s *Server) OrderFromQuote(c *gin.Context, id contract.ID, p contract.OrderFromQuoteParams) {
	v, err := s.desk.Book.OrderFromQuote(c.Request.Context(), actor(c), id, p.IdempotencyKey)
	answer(s, c, http.StatusCreated, v, err)
}

// DuplicatesOf implements ServerInterface.
func (s *Server) DuplicatesOf(c *gin.Context, id contract.ID) {
	v, err := s.desk.Book.DuplicatesOf(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListDuplicates implements ServerInterface.
func (s *Server) ListDuplicates(c *gin.Context) {
	v, err := s.desk.Book.Duplicates(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SweepDuplicates implements ServerInterface.
func (s *Server) SweepDuplicates(c *gin.Context) {
	v, err := s.desk.Book.SweepDuplicates(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// CheckDuplicates implements ServerInterface.
func (s *Server) CheckDuplicates(c *gin.Context) {
	if body, ok := read[contract.NewRecord](s, c); ok {
		v, err := s.desk.Book.CheckDuplicates(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// KeepApart implements ServerInterface.
func (s *Server) KeepApart(c *gin.Context) {
	if body, ok := read[contract.TwoRecords](s, c); ok {
		nothing(s, c, s.desk.Book.KeepApart(c.Request.Context(), actor(c), body))
	}
}

// MergeRecords implements ServerInterface.
func (s *Server) MergeRecords(c *gin.Context, p contract.MergeRecordsParams) {
	if body, ok := read[contract.Merge](s, c); ok {
		v, err := s.desk.Book.MergeRecords(c.Request.Context(), actor(c), p.IdempotencyKey, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// UndoMerge implements ServerInterface.
func (s *Server) UndoMerge(c *gin.Context, id contract.ID) {
	v, err := s.desk.Book.UndoMerge(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListLists implements ServerInterface.
func (s *Server) ListLists(c *gin.Context) {
	v, err := s.desk.Book.Lists(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddList implements ServerInterface.
func (s *Server) AddList(c *gin.Context) {
	if body, ok := read[contract.ListEdit](s, c); ok {
		v, err := s.desk.Book.AddList(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// ChangeList implements ServerInterface.
func (s *Server) ChangeList(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.ListEdit](s, c); ok {
		v, err := s.desk.Book.ChangeList(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// RemoveList implements ServerInterface.
func (s *Server) RemoveList(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.Book.RemoveList(c.Request.Context(), actor(c), id))
}

// BulkAct implements ServerInterface.
func (s *Server) BulkAct(c *gin.Context, p contract.BulkActParams) {
	if body, ok := read[contract.BulkAct](s, c); ok {
		v, err := s.desk.Book.BulkAct(c.Request.Context(), actor(c), p.IdempotencyKey, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// UndoBulk implements ServerInterface.
func (s *Server) UndoBulk(c *gin.Context, id contract.ID) {
	v, err := s.desk.Book.UndoBulk(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListDoNotCall implements ServerInterface.
func (s *Server) ListDoNotCall(c *gin.Context) {
	v, err := s.desk.Book.DoNotCallList(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// ImportDoNotCall implements ServerInterface.
func (s *Server) ImportDoNotCall(c *gin.Context) {
	if body, ok := read[contract.DoNotCallText](s, c); ok {
		v, err := s.desk.Book.ImportDoNotCall(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListImports implements ServerInterface.
func (s *Server) ListImports(c *gin.Context) {
	v, err := s.desk.Files.Imports(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddImport implements ServerInterface.
func (s *Server) AddImport(c *gin.Context) {
	if body, ok := read[contract.NewImport](s, c); ok {
		v, err := s.desk.Files.AddImport(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// GetImport implements ServerInterface.
func (s *Server) GetImport(c *gin.Context, id contract.ID) {
	v, err := s.desk.Files.Import(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// PlanImport implements ServerInterface.
func (s *Server) PlanImport(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.ImportPlan](s, c); ok {
		v, err := s.desk.Files.PlanImport(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// LoadImport implements ServerInterface.
func (s *Server) LoadImport(c *gin.Context, id contract.ID) {
	v, err := s.desk.Files.LoadImport(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// CancelImport implements ServerInterface.
func (s *Server) CancelImport(c *gin.Context, id contract.ID) {
	v, err := s.desk.Files.CancelImport(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListRejects implements ServerInterface.
func (s *Server) ListRejects(c *gin.Context, id contract.ID) {
	v, err := s.desk.Files.Rejects(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// AddExport implements ServerInterface.
func (s *Server) AddExport(c *gin.Context) {
	if body, ok := read[contract.NewExport](s, c); ok {
		v, err := s.desk.Files.AddExport(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// MakeCalendarAddress implements ServerInterface.
func (s *Server) MakeCalendarAddress(c *gin.Context) {
	v, err := s.desk.Book.MakeCalendarAddress(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// GetBookSettings implements ServerInterface.
func (s *Server) GetBookSettings(c *gin.Context) {
	v, err := s.desk.Book.BookSettings(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetBookSettings implements ServerInterface.
func (s *Server) SetBookSettings(c *gin.Context) {
	if body, ok := read[contract.BookSettings](s, c); ok {
		v, err := s.desk.Book.SetBookSettings(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// AddField implements ServerInterface.
func (s *Server) AddField(c *gin.Context) {
	if body, ok := read[contract.FieldEdit](s, c); ok {
		v, err := s.desk.Book.AddField(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// ChangeField implements ServerInterface.
func (s *Server) ChangeField(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.FieldEdit](s, c); ok {
		v, err := s.desk.Book.ChangeField(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListFollowUps implements ServerInterface.
func (s *Server) ListFollowUps(c *gin.Context, p contract.ListFollowUpsParams) {
	v, err := s.desk.Book.FollowUps(c.Request.Context(), actor(c), text(p.Whose) != "team", text(p.State) != "done")
	answer(s, c, http.StatusOK, v, err)
}

// HangsOn implements ServerInterface.
func (s *Server) HangsOn(c *gin.Context, id contract.ID) {
	v, err := s.desk.Book.HangsOn(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// BulkProgress implements ServerInterface.
func (s *Server) BulkProgress(c *gin.Context, id contract.ID) {
	v, err := s.desk.Book.BulkProgress(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// CancelBulk implements ServerInterface.
func (s *Server) CancelBulk(c *gin.Context, id contract.ID) {
	v, err := s.desk.Book.CancelBulk(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListPromises implements ServerInterface.
func (s *Server) ListPromises(c *gin.Context, p contract.ListPromisesParams) {
	v, err := s.desk.Book.Promises(c.Request.Context(), actor(c), p.RecordID, text(p.Whose) != "team")
	answer(s, c, http.StatusOK, v, err)
}
