package firm

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
