package firm

import (
	"time"
)

// EffectDelay is for how long what an outcome sends can still be held back.
const EffectDelay = 10 * time.Second

const (
	// SendPatience is how long one sending may take.
	SendPatience = 30 * time.Second
)
