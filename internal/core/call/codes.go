package call

import "strings"

// Codes are what somebody without a screen presses on their own telephone, by what it does. Two stars are one key that is
// sent on.
var Codes = map[string]Act{"*1": ActSwap, "*2": ActJoin, "*3": ActHandOver, "*4": ActBack, "*7": ActPark}

// ReadKeys takes the keys that were pressed on a rep's own telephone apart: what is to be done, what is sent on to the
// other side, and what waits for a further key.
func ReadKeys(pressed string) (acts []Act, send, rest string) {
	for pressed != "" {
		at := strings.IndexByte(pressed, '*')
		switch {
		case at < 0:
			return acts, send + pressed, ""
		case at+1 == len(pressed):
			return acts, send + pressed[:at], "*"
		}
		send += pressed[:at]
		code := pressed[at : at+2]
		pressed = pressed[at+2:]
		if act, known := Codes[code]; known {
			acts = append(acts, act)
		} else if code == "**" {
			send += "*"
		} else {
			send += code
		}
	}
	return acts, send, ""
}

// InputOf is the input by which by does something that needs nothing more; nil for what needs more. To swap with nobody
// is to hold, or to go on.
func (s *State) InputOf(act Act, by string) Input {
	switch act {
	case ActSwap:
		switch {
		case s.Asking(by) != nil:
			return Swap{by}
		case s.Away(by):
			return Resume{by}
		}
		return Hold{by}
	case ActBack:
		return Resume{by}
	case ActJoin:
		return Join{by}
	case ActHandOver:
		return HandOver{by}
	case ActHold:
		return Hold{by}
	}
	return nil
}
