// Package drill lets reps work through the public API while everything around the server fails, and then asks whether
// what they were told was so: nothing acknowledged is lost or doubled, nobody is stuck, nothing has a hole.
//
// Each rep keeps a ledger of what was acknowledged, in memory of its own. The faults are drawn by a seed, which is
// said. A short drill is a part of the tests; TRUNDO_DRILL=100 draws a hundred faults, TRUNDO_DRILL_SEED sets the seed.
package drill
