package desk

import (
	"context"

	"trundo/internal/contract"
	"trundo/internal/core/callerid"
	"trundo/internal/core/phone"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
)

// Me is what a's browser needs to begin.
func (d *Desk) Me(ctx context.Context, a firm.Actor) (contract.Me, error) {
	f, err := d.Settings(ctx)
	if err != nil {
		return contract.Me{}, err
	}
	me := contract.Me{ID: a.ID, Login: a.Login, Name: a.Name, Role: string(a.Role), RoleName: a.RoleName,
		Rights: firm.RightSet(a.Rights), Zone: a.Zone.String(),
		Demo: d.Demo, SecondFactor: a.SecondFactor,
		LiveEpoch: d.Hub.Epoch(), Outcomes: []contract.Outcome{}, CallTypes: []contract.CallType{},
		Firm: contract.Firm{Name: f.Name, Region: f.Region, OutcomeNeeded: f.Rules.OutcomeNeeded,
			TypeNeeded: f.Rules.TypeNeeded, WrapSeconds: int(f.Wrap.Seconds())}}
	if me.SecondFactorMissing, err = d.NeedsSecondFactor(ctx, a); err != nil {
		return me, err
	}
	state, err := d.Store.Availability(ctx, a.ID)
	if err != nil && !store.NotFound(err) {
		return me, err
	}
	me.Availability = contract.AvailabilityChoice{ID: state.StateID, Label: state.Label, TakesCalls: state.TakesCalls}
	me.Simulated, me.Sound, me.Availabilities = d.Simulated, d.Browsers != nil, []contract.AvailabilityChoice{}
	for _, s := range f.States {
		if s.Active {
			me.Availabilities = append(me.Availabilities,
				contract.AvailabilityChoice{ID: s.ID, Label: s.Label, TakesCalls: s.TakesCalls})
		}
	}
	if me.Preferences, err = d.Arrivals.Preferences(ctx, a); err != nil {
		return me, err
	}
	if shown, err := callerid.Choose(f.Lines,
		callerid.Request{RepLine: optional.ID(a.Line), Region: f.Region}); err == nil {
		me.Line = phone.Format(shown.Line.E164, "", f.Region, a.Style)
	}
	for _, o := range f.Outcomes {
		if o.Offer().ForTeam(a.Team) {
			me.Outcomes = append(me.Outcomes, o.View())
		}
	}
	for _, t := range f.CallTypes {
		if t.Active {
			me.CallTypes = append(me.CallTypes, contract.CallType{ID: t.ID, Label: t.Label})
		}
	}
	return me, nil
}
