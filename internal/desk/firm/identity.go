package firm

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/meeting"
	"trundo/internal/core/money"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

// Identity is what the firm is: its name, and where it is at home. Error: ErrForbidden.
func (k *Firm) Identity(ctx context.Context, a Actor) (contract.FirmSetup, error) {
	if !a.MayDo(rights.SetUpFirm) {
		return contract.FirmSetup{}, ErrForbidden
	}
	var now FirmSettings
	if err := k.Setting(ctx, "firm", &now); err != nil {
		return contract.FirmSetup{}, err
	}
	return identityOf(now), nil
}

func identityOf(s FirmSettings) contract.FirmSetup {
	if s.Name != "" && s.Currency == "" { // as it is taken to be where it was never said
		s.Currency = usualCurrency
	}
	regions, roles := phone.Regions(), []contract.MemberRole{}
	for _, r := range s.SecondFactor {
		roles = append(roles, contract.MemberRole(r))
	}
	return contract.FirmSetup{Name: s.Name, Region: s.Region, Currency: s.Currency, Zone: s.Zone, Regions: &regions,
		SecondFactor: &roles, Meeting: &s.Meeting}
}

// SetIdentity saves what the firm is. Errors: ErrForbidden, *FieldError.
func (k *Firm) SetIdentity(ctx context.Context, a Actor, s contract.FirmSetup) (contract.FirmSetup, error) {
	if !a.MayDo(rights.SetUpFirm) {
		return s, ErrForbidden
	}
	s.Name, s.Region = CleanText(s.Name), strings.ToUpper(strings.TrimSpace(s.Region))
	s.Currency = strings.ToUpper(strings.TrimSpace(s.Currency))
	if s.Name == "" {
		return s, Wrong("name", "say what the firm is called")
	}
	if phone.CountryCode(s.Region) == "" {
		return s, Wrong("region", "choose the country in which numbers without a country code are")
	}
	if _, err := money.Decimals(s.Currency); err != nil {
		return s, About("currency", err)
	}
	if !KnownZone(s.Zone) {
		return s, Wrong("zone", "the zone is a name such as America/New_York")
	}
	room := strings.TrimSpace(optional.Value(s.Meeting))
	if err := meeting.Check(room); err != nil {
		return s, About("meeting", err)
	}
	err := k.Store.Tx(ctx, func(q *db.Queries) error {
		var now FirmSettings
		if err := ReadSetting(ctx, q, "firm", &now); err != nil {
			return err
		}
		before := now
		now.Name, now.Region, now.Currency, now.Zone = s.Name, s.Region, s.Currency, s.Zone
		if s.Meeting != nil {
			now.Meeting = room
		}
		if s.SecondFactor != nil {
			now.SecondFactor = nil
			for _, r := range *s.SecondFactor {
				if !slices.Contains(now.SecondFactor, Role(r)) {
					now.SecondFactor = append(now.SecondFactor, Role(r))
				}
			}
		}
		value, err := json.Marshal(now)
		if err != nil {
			return err
		}
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "firm", Value: value}); err != nil {
			return err
		}
		return k.Audited(ctx, q, a, "settings", uuid.Nil, "firm", before, now)
	})
	if err != nil {
		return s, err
	}
	k.BookChanged()
	return k.Identity(ctx, a)
}

// KnownZone tells whether a zone is one of IANA's, by its name.
func KnownZone(name string) bool {
	_, err := time.LoadLocation(name)
	return err == nil && name != "" && name != "Local"
}
