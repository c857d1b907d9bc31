package e2e_test

import (
	"math"
	"math/cmplx"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/audio"
	"trundo/internal/formats"
)

// salesE164 is the sales line, which goes by a route.
const salesE164 = "+14135550110"

func TestAVisitorOfTheFirmsPageIsCalled(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ada, ines := w.signedIn(t, "Ada"), w.signedIn(t, "Ines Calloway")
	ada.visit("/settings?tab=forms")
	ada.see("Contact page", "main")
	ada.looks("forms")
	ada.accessible("web forms")
	path := eval[string](ada, `new URL([...document.querySelectorAll('main a')].find((a) => a.href.includes('/form/')).href).pathname`)

	visitor := open(t, w.url)
	visitor.visit(path)
	visitor.see("Talk to Lindenfall Cisterns")
	visitor.looks("form")
	visitor.accessible("a form")
	opened := time.Now()
	visitor.fill("Your name", "Aurelio Bartholomew Castellanos-Featherstone")
	visitor.fill("Telephone number", "12")
	visitor.fill("What is it about?", "A tank of 40,000 litres beneath the new car park")
	require.Eventually(t, func() bool { return time.Since(opened) > 3*time.Second }, patience, pace,
		"as a person would")
	visitor.click("button", "Send")
	visitor.until("the number is said to be wrong", `document.activeElement && document.querySelector('#number').ariaInvalid === 'true'`)
	visitor.looks("form-wrong")
	visitor.fill("Telephone number", "413 555 0161")
	opened = time.Now()
	require.Eventually(t, func() bool { return time.Since(opened) > 3*time.Second }, patience, pace,
		"as a person would")
	visitor.click("radio", "write to me")
	visitor.until("they are asked where to write", `document.querySelector('#mail').checkVisibility() && !document.querySelector('#number').checkVisibility()`)
	visitor.click("radio", "call me")
	visitor.click("button", "Send")
	visitor.see("Thank you. We will call you as soon as it is your turn.")
	visitor.looks("form-done")

	ines.see("Aurelio Bartholomew Castellanos-Featherstone", "[data-testid=queue-waits]")
	ines.see("40,000 litres", "[data-testid=queue-waits]")
	ines.looks("form-waits")
	ines.click("button", "Call ", "[data-testid=queue-waits]")
	ines.see("413 555 0161", slipPart)

	// A new address: the old one leads nowhere.
	ada.click("button", "Contact page", "main")
	ada.looks("form-edit")
	ada.click("button", "New address")
	ada.click("button", "New address", "[role=dialog]")
	ada.until("it has another address", `![...document.querySelectorAll('main a')].some((a) => a.href.includes(`+quote(path)+`))`)
	require.Eventually(t, func() bool {
		visitor.visit(path)
		return eval[bool](visitor, `document.body.innerText.includes('There is no form at this address any more')`)
	}, patience, pace)
}

func TestACallerChoosesWhenTheyAreCalledBack(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines := w.signedIn(t, "Ines Calloway")
	w.calling(ines)
	ref, err := w.sim.CallIn("+14135550188", salesE164)
	require.NoError(t, err)
	w.heard(t, ref, "“You are next.")
	require.True(t, w.sim.OutsidePresses(ref, "1"))
	w.heard(t, ref, "“To be called back when it is your turn, press 1. To choose a time, press 2.”")
	require.True(t, w.sim.OutsidePresses(ref, "2"))
	w.heard(t, ref, "“Type the time as four digits")
	require.True(t, w.sim.OutsidePresses(ref, "1430"))
	w.heard(t, ref, "“Thank you. We will call you ")
	ines.see("call back at ", "[data-testid=queue-waits]")
	ines.looks("callback-time")
}

// ear is somebody outside who only listens.
type ear struct {
	mu    sync.Mutex
	heard []int16
}

func (e *ear) Read(*[carrier.FrameBytes]byte) bool { return false }

func (e *ear) Write(frame *[carrier.FrameBytes]byte) {
	e.mu.Lock()
	defer e.mu.Unlock()
	for _, code := range frame {
		e.heard = append(e.heard, audio.Decode(code))
	}
}

// likeness is how alike what was heard is to a text as it is spoken, wherever it begins: the correlation of their
// spectrograms, 1 for the same and 0 for what has nothing in common.
func (e *ear) likeness(spoken []int16) float64 {
	e.mu.Lock()
	heard := spectrogram(e.heard)
	e.mu.Unlock()
	want := spectrogram(spoken)
	best := 0.0
	for from := 0; from+len(want) <= len(heard); from++ {
		best = math.Max(best, correlation(heard[from:from+len(want)], want))
	}
	return best
}

// bands of a spectrogram are 16 from 200 to 3,200 Hz, for each 20 ms.
type bands [16]float64

const block = audio.Rate / 50

// waves are those of each band, over a block.
var waves = func() (all [len(bands{})][block]complex128) {
	for i := range all {
		for n := range all[i] {
			all[i][n] = cmplx.Rect(1, 2*math.Pi*200*float64(i+1)/audio.Rate*float64(n))
		}
	}
	return all
}()

func spectrogram(sound []int16) (all []bands) {
	for ; len(sound) >= block; sound = sound[block:] {
		var b bands
		for i := range b {
			var sum complex128
			for n, x := range sound[:block] {
				sum += complex(float64(x), 0) * waves[i][n]
			}
			b[i] = math.Log1p(cmplx.Abs(sum) / block)
		}
		all = append(all, b)
	}
	return all
}

func correlation(a, b []bands) float64 {
	var meanA, meanB, ab, aa, bb float64
	n := float64(len(a) * len(bands{}))
	for t := range a {
		for i := range a[t] {
			meanA, meanB = meanA+a[t][i]/n, meanB+b[t][i]/n
		}
	}
	for t := range a {
		for i := range a[t] {
			x, y := a[t][i]-meanA, b[t][i]-meanB
			ab, aa, bb = ab+x*y, aa+x*x, bb+y*y
		}
	}
	if aa == 0 || bb == 0 {
		return 0
	}
	return ab / math.Sqrt(aa*bb)
}

func TestAnAnnouncementIsHeard(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	ines := w.signedIn(t, "Ines Calloway")
	w.calling(ines)
	voice := func(text string) []int16 {
		file, err := w.Desk.Voices.SpokenFile(t.Context(), text, "en")
		require.NoError(t, err)
		sound := make([]int16, 0, len(file))
		for _, code := range file[len(formats.WAVHeader(1, len(file))):] {
			sound = append(sound, audio.Decode(code))
		}
		return sound
	}
	next, other := voice("You are next."), voice("The office is closed on Thursdays.")
	// A machine that is too busy leaves frames out: then it is heard by the next call.
	require.Eventually(t, func() bool {
		late := w.Desk.Studio.LateFrames()
		ref, err := w.sim.CallIn("+14135550188", salesE164)
		require.NoError(t, err)
		defer w.sim.OutsideHangsUp(ref)
		var caller ear
		require.Eventually(t, func() bool { return w.sim.OutsideSpeaks(ref, &caller) }, patience, pace, "it is picked up")
		w.heard(t, ref, "“You are next.")
		w.heard(t, ref, "music")
		if w.Desk.Studio.LateFrames() > late {
			return false
		}
		assert.Greater(t, caller.likeness(next), 0.9, "they hear that they are next")
		assert.Less(t, caller.likeness(other), 0.7, "and not what nobody said")
		return true
	}, 4*patience, pace)
}

// clearly finds somebody whom a rep owns and whose number is nobody else's.
func (w *world) clearly(t *testing.T, owner string) (record uuid.UUID, name, e164 string) {
	t.Helper()
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT r.id, r.name, n.e164 FROM phone_numbers n
		JOIN records r ON r.id = n.record_id JOIN users u ON u.id = r.owner_id
		WHERE u.login = $1 AND r.kind = 'contact' AND r.dnc_at IS NULL AND r.deleted_at IS NULL AND n.ext = ''
			AND (SELECT count(*) FROM phone_numbers m WHERE m.e164 = n.e164) = 1
		ORDER BY n.e164 LIMIT 1`, owner).Scan(&record, &name, &e164))
	return record, name, e164
}

func TestACallRingsForTheOwnerFirst(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	_, name, number := w.clearly(t, "ines")
	ines, maren := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Maren Thackeray")
	ref, err := w.sim.CallIn(number, salesE164)
	require.NoError(t, err)
	ines.see(name, "[data-testid=ring]")
	assert.False(t, eval[bool](maren, `!!document.querySelector('[data-testid=ring]')`), "nobody else is rung yet")
	ines.click("button", "Decline", "[data-testid=ring]")
	w.heard(t, ref, "“You are next.")
	maren.see(name, "[data-testid=ring]")
}

func TestWhoWasDissatisfiedHearsAnotherGreetingAndComesFirst(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	record, name, number := w.clearly(t, "ines")
	var admin, sales uuid.UUID
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT id FROM users WHERE login = 'ada'`).Scan(&admin))
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT id FROM queues WHERE name = 'Sales'`).Scan(&sales))
	_, err := w.Store.Pool.Exec(t.Context(), `INSERT INTO survey_answers (call_id, question_id, question, kind, value, at)
		SELECT c.id, 'asked', 'Would you recommend us?', 'score', 2, now() FROM calls c
		JOIN call_links l ON l.call_id = c.id WHERE l.record_id = $1 LIMIT 1`, record)
	require.NoError(t, err)
	ada, err := w.Desk.Actor(t.Context(), admin)
	require.NoError(t, err)
	page, err := w.Desk.Queues.AddRoute(t.Context(), ada, contract.NewRoute{Name: "A kind word"})
	require.NoError(t, err)
	in := func(text string) *contract.SpokenTexts { return &contract.SpokenTexts{"en": text} }
	page, err = w.Desk.Queues.ChangeRoute(t.Context(), ada, page.ID, contract.RouteChange{Name: page.Name,
		Version: page.Version, Draft: contract.RouteDoc{Languages: []string{"en"}, Steps: []contract.RouteStep{
			{ID: "unhappy", Do: contract.RouteStepDoWhen, Test: &contract.RouteTest{Is: "dissatisfied"},
				Steps: &[]contract.RouteStep{
					{ID: "sorry", Do: contract.RouteStepDoSay, Texts: in("We are sorry about the last time.")},
					{ID: "first", Do: contract.RouteStepDoQueue, Queue: new(sales.String()), Priority: new(3)},
					{ID: "write", Do: contract.RouteStepDoVoicemail}}},
			{ID: "hello", Do: contract.RouteStepDoSay, Texts: in("Hello.")},
			{ID: "wait", Do: contract.RouteStepDoQueue, Queue: new(sales.String())},
			{ID: "message", Do: contract.RouteStepDoVoicemail}}}})
	require.NoError(t, err)
	page, err = w.Desk.Queues.PutLive(t.Context(), ada, page.ID, contract.RouteLive{Version: page.Version})
	require.NoError(t, err, "%v", page.Faults)
	var line uuid.UUID
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT id FROM lines WHERE e164 = $1`, salesE164).Scan(&line))
	_, err = w.Desk.Queues.SetLineRoute(t.Context(), ada, line, &page.ID)
	require.NoError(t, err)

	ines := w.signedIn(t, "Ines Calloway")
	w.calling(ines)
	earlier, err := w.sim.CallIn("+14135550188", salesE164)
	require.NoError(t, err)
	w.heard(t, earlier, "“Hello.”")
	w.heard(t, earlier, "“You are next.")
	ines.see("413 555 0188", "[data-testid=queue-waits]")
	ref, err := w.sim.CallIn(number, salesE164)
	require.NoError(t, err)
	w.heard(t, ref, "“We are sorry about the last time.”")
	w.heard(t, ref, "“You are next.")
	ines.until("they come first", `document.querySelector('[data-testid=queue-waits] li')?.innerText.includes(`+quote(name)+`)`)
}

func TestARouteAsksWhatACallersRecordFits(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ada := w.signedIn(t, "Ada")
	ada.visit("/settings?tab=routes")
	ada.click("button", "Sales line")
	ada.see("Take a callback", "[role=list]")
	ada.click("button", "Add a step after this: Say “Lindenfall")
	ada.click("item", "Check something")
	ada.choose("What is checked", "the caller’s record fits a condition")
	ada.see("The record fits where", "[data-testid=filter]")
	ada.click("button", "Add a condition", "[data-testid=filter]")
	ada.runs(`(() => { const all = [...document.querySelectorAll('[data-testid=filter] li select')]; const set = (e, text) => {
		const o = [...e.options].find((o) => o.text === text); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(e, o.value);
		e.dispatchEvent(new Event('change', {bubbles: true})); }; set(all.at(-2), 'Tags'); })()`)
	ada.until("tags are compared", `[...document.querySelectorAll('[data-testid=filter] li select')].at(-2).selectedOptions[0].text === 'Tags'`)
	ada.fill("Value", "VIP")
	ada.see("the caller’s tags", "[role=list]")
	ada.see("“VIP”", "[role=list]")
	ada.looks("route-fits")
	ada.accessible("a condition on a record")
	ada.see("Draft saved", "main")
	ada.click("button", "Add a step after this: Say “Lindenfall")
	ada.click("item", "Ask what they thought of it")
	ada.see("Ask what they thought of it.", "[role=list]")
}
