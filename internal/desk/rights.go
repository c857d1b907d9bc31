package desk

import "github.com/google/uuid"

// Right is something that not everybody may do.
type Right string

// The rights.
const (
	SetUp         Right = "set_up"           // fields, layouts, number order, lines, outcomes; play the outside
	Override      Right = "override"         // call in spite of do-not-call
	Export        Right = "export"           // take the book out
	Import        Right = "import"           // bring a file in; mark numbers by list
	Delete        Right = "delete"           // delete recordings
	DeleteRecord  Right = "delete_record"    // delete records that are somebody else's
	LiftDoNotCall Right = "lift_do_not_call" // let somebody be called again who asked not to be
	EndRound      Right = "end_round"        // end a round that others started or work on
	UndoMerge     Right = "undo_merge"       // take a merge back that somebody else has made
	Merge         Right = "merge"            // make one of two records
	BulkAll       Right = "bulk"             // change many records at once
)

// mayDo tells whether a has a right. Reps may merge and change many of what they see; what leaves the house, passes over somebody's wish or
// takes from others needs a supervisor.
func (a Actor) mayDo(r Right) bool {
	switch r {
	case SetUp:
		return a.Role == Admin
	case Override, Export, Import, Delete, DeleteRecord, LiftDoNotCall, EndRound, UndoMerge:
		return a.leads()
	}
	return true
}

// leads tells whether a may correct what others have written.
func (a Actor) leads() bool { return a.Role == Supervisor || a.Role == Admin }

// mayOf tells whether a has a right over what belongs to owner; over one's own everybody has.
func (a Actor) mayOf(r Right, owner *uuid.UUID) bool {
	return owner != nil && *owner == a.ID || a.mayDo(r)
}
