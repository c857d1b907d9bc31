package demo

import (
	"hash/fnv"
	"time"

	"trundo/internal/carrier"
	"trundo/internal/carrier/sim"
)

// Numbers whose people always behave in the same way, so that each ending can be tried.
const (
	AnswersSoon   = "+14135550142"
	NeverAnswers  = "+14135550144"
	IsBusy        = "+14135550145"
	Declines      = "+14135550146"
	NotInService  = "+14135550147"
	HangsUpSoon   = "+14135550148"
	RingsForEver  = "+14135550149"
	ConnectionBad = "+14135550150"
	HasVoicemail  = "+14135550152"
	HasLowBeep    = "+14135550153"
	IsFull        = "+14135550154"
	HasMenu       = "+14135550155"
	BadLine       = "+14135550156"
	TalksOn       = "+14135550157"
)

// machineNumbers are those of people whose office has a machine, a bad line or a talker; from the firstMachine-th
// person on.
var machineNumbers = []string{HasVoicemail, HasLowBeep, IsFull, HasMenu, BadLine, TalksOn}

const firstMachine = 20

// Household is a number that two people share.
const Household = "+14135550151"

// Outside tells how the people of the made-up world behave when they are called: some numbers always in one way,
// everybody else by a hash of the number, so that the same person is the same tomorrow.
func Outside(to string) sim.Behaviour {
	b := behaves(to)
	b.Script, b.Calls = spoken(to, false), spoken(to, true)
	if script, ok := machines[to]; ok {
		b = sim.Behaviour{RingsAfter: time.Second / 2, After: 2 * time.Second, Script: script, Calls: b.Calls}
	}
	return b
}

func behaves(to string) sim.Behaviour {
	const s = time.Second
	switch to {
	case AnswersSoon:
		return sim.Behaviour{RingsAfter: s / 2, After: 3 * s}
	case NeverAnswers:
		return sim.Behaviour{RingsAfter: s, After: 25 * s, Then: carrier.NoAnswer}
	case IsBusy:
		return sim.Behaviour{RingsAfter: s, Then: carrier.Busy}
	case Declines:
		return sim.Behaviour{RingsAfter: s, After: 4 * s, Then: carrier.Declined}
	case NotInService:
		return sim.Behaviour{RingsAfter: s, Then: carrier.OutOfService}
	case HangsUpSoon:
		return sim.Behaviour{RingsAfter: s, After: 2 * s, HangsUp: 8 * s}
	case RingsForEver:
		return sim.Behaviour{RingsAfter: s, RingsOn: true}
	case ConnectionBad:
		return sim.Behaviour{RingsAfter: s, After: 2 * s, HangsUp: 10 * s, Lost: true}
	}
	h := fnv.New32a()
	_, _ = h.Write([]byte(to))
	n := h.Sum32()
	b := sim.Behaviour{RingsAfter: s/2 + time.Duration(n%7)*s/4, After: 3*s + time.Duration(n/7%7)*s}
	switch p := n / 49 % 100; {
	case p < 66: // answers and talks
	case p < 76:
		b.Then, b.After = carrier.NoAnswer, 25*s
	case p < 82:
		b.Then = carrier.Busy
	case p < 87:
		b.Then = carrier.Declined
	case p < 90:
		b.Then = carrier.OutOfService
	case p < 97:
		b.HangsUp = 30*s + time.Duration(n%40)*s
	default:
		b.HangsUp, b.Lost = 20*s, true
	}
	return b
}
