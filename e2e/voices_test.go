package e2e_test

import (
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"testing"
	"time"

	"trundo/internal/desk/calls"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/audio"
	"trundo/internal/demo"
	"trundo/internal/media"
)

// whistle is what our rep says in these tests, Hz: no voice has so much of it.
const whistle = 1000

// microphoneFile writes a WAV of a tone, as Chromium takes it for a microphone: 48 kHz, 16 bits.
func microphoneFile(t *testing.T) string {
	t.Helper()
	le := binary.LittleEndian
	const rate, seconds = 48000, 4
	b := le.AppendUint32([]byte("RIFF"), 36+2*rate*seconds)
	b = le.AppendUint32(append(b, "WAVEfmt "...), 16)
	b = le.AppendUint16(le.AppendUint16(b, 1), 1)
	b = le.AppendUint32(le.AppendUint32(b, rate), 2*rate)
	b = le.AppendUint16(le.AppendUint16(b, 2), 16)
	b = le.AppendUint32(append(b, "data"...), 2*rate*seconds)
	for i := range rate * seconds {
		b = le.AppendUint16(b, uint16(int16(9000*math.Sin(2*math.Pi*whistle*float64(i)/rate))))
	}
	path := filepath.Join(t.TempDir(), "microphone.wav")
	require.NoError(t, os.WriteFile(path, b, 0o600))
	return path
}

// microphone are the flags of a Chromium that whistles into its microphone, and asks nobody.
func microphone(t *testing.T) []string {
	t.Helper()
	return []string{"use-fake-device-for-media-stream", "use-fake-ui-for-media-stream",
		"autoplay-policy=no-user-gesture-required",
		"use-file-for-fake-audio-capture=" + microphoneFile(t)}
}

// share is how much of a second of sound is a frequency, 0 to 1.
func share(sound []int16, hz float64) float64 {
	var re, im, all float64
	for i, s := range sound {
		sin, cos := math.Sincos(2 * math.Pi * hz * float64(i) / audio.Rate)
		re, im, all = re+float64(s)*cos, im+float64(s)*sin, all+float64(s)*float64(s)
	}
	if all == 0 {
		return 0
	}
	return 2 * (re*re + im*im) / float64(len(sound)) / all
}

// most is the greatest share of a frequency in any tenth of a second, and how many frames are speech.
func most(sound []int16, hz float64) (greatest float64, speech int) {
	const part = audio.Rate / 10
	var a audio.Activity
	for ; len(sound) >= part; sound = sound[part:] {
		greatest = max(greatest, share(sound[:part], hz))
		for i := 0; i < part; i += audio.FrameSamples {
			a.Add(audio.Level(sound[i : i+audio.FrameSamples]))
		}
	}
	for _, s := range a.Spans() {
		speech += s.Frames()
	}
	return greatest, speech
}

// sides reads the only recording of a world: ours and theirs.
func (w *world) sides(t *testing.T) (ours, theirs []int16) {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(w.data, "recordings", "*.wav"))
	require.NoError(t, err)
	require.Len(t, files, 1)
	b, err := os.ReadFile(files[0])
	require.NoError(t, err)
	for b = b[58:]; len(b) > 1; b = b[2:] {
		ours, theirs = append(ours, audio.Decode(b[0])), append(theirs, audio.Decode(b[1]))
	}
	return ours, theirs
}

func (win *window) sound(status string) {
	win.t.Helper()
	win.until("the sound is "+status, `document.querySelector('[data-testid=sound]')?.dataset.status === "`+status+`"`)
}

// hears opens the first recorded call of a list.
func (win *window) hears() {
	win.t.Helper()
	win.until("the recording is in the list", `!!document.querySelector('#sheet [data-testid=voice-trace]')`)
	win.runs(`document.querySelector('#sheet a:has([data-testid=voice-trace])').click()`)
	win.until("the player", `!!document.querySelector('[data-testid=player]')`)
}

// runs runs a statement in the page.
func (win *window) runs(statement string) {
	win.t.Helper()
	eval[bool](win, `(() => { `+statement+`; return true; })()`)
}

func (win *window) recording(state string) {
	win.t.Helper()
	win.until("recording is "+state, `document.querySelector('[data-testid=recording]')?.dataset.state === "`+state+`"`)
}

const drawnValues = `Number(document.querySelector('[data-testid=slip] [data-testid=voice-trace]')?.dataset.values ?? 0)`

// drawn waits until the live voice trace has grown by so many values, a tenth of a second each.
func (win *window) drawn(more int) {
	win.t.Helper()
	win.until("the voice trace grows", fmt.Sprintf("%s > %d", drawnValues, eval[int](win, drawnValues)+more))
}

func TestACallIsHeardRecordedAndPlayed(t *testing.T) {
	t.Parallel()
	talking, stop := startBrowser(microphone(t)...)
	t.Cleanup(stop)
	w := startSpeaking(t)
	win := openIn(t, talking, w.url)
	win.click("button", "Ines")
	win.see("Hello, ")
	win.sound("on")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	require.Eventually(t, func() bool { return w.sim.TheyAnswer(beritMobile) }, patience, pace)
	win.recording("going")
	win.drawn(10)
	// A key goes with the voice.
	win.click("button", "Keypad", slipPart)
	win.keys("5")
	require.Eventually(t, func() bool { legs := w.sim.OutsideLegs(); return len(legs) == 1 && legs[0].Keys == "5" },
		patience, pace)
	win.keys(kb.Escape)
	win.command("u")
	win.recording("paused")
	win.drawn(12)
	win.command("u")
	win.recording("going")
	// A reload in the middle: the call goes on, and so does the sound.
	win.visit("/")
	win.sound("on")
	win.recording("going")
	win.drawn(25) // ten seconds: a sentence that lies wholly behind the pause
	win.command("e")
	win.until("over", `document.querySelector('[data-testid=slip]')?.dataset.phase === 'ended'`)
	win.visit("/calls")
	win.hears()
	win.see("Not recorded from")
	win.see("Who spoke")
	win.until("what was said", `!!document.querySelector('[data-testid=words] summary')`)
	win.runs(`document.querySelector('[data-testid=words] summary').click()`)
	win.see("Their words, by the simulated network", "[data-testid=words]")
	// What is played can be heard: an analyser on the loudspeaker's way shows it.
	win.runs(`const to = AudioNode.prototype.connect; AudioNode.prototype.connect = function (node, ...rest) {
		if (node instanceof AudioDestinationNode) { const a = node.context.createAnalyser(); (window.heard ??= []).push(a); to.call(this, a); }
		return to.call(this, node, ...rest); }`)
	win.click("button", "Play")
	win.until("it moves and sounds", `document.querySelector('audio').currentTime > 0.5 && (window.heard ?? []).some((a) => { const s = new Float32Array(a.fftSize);
		a.getFloatTimeDomainData(s); return s.some((x) => Math.abs(x) > 0.01); })`)
	win.click("button", "Pause")

	ours, theirs := w.sides(t)
	whistled, _ := most(ours, whistle)
	leaked, speech := most(theirs, whistle)
	assert.Greater(t, whistled, 0.8, "our side has what our microphone said")
	assert.Less(t, leaked, 0.8, "and theirs has not")
	assert.Greater(t, speech, 50, "theirs has a second of speech at least")
	silent := 0
	for i := 0; i+audio.FrameSamples <= len(ours); i += audio.FrameSamples {
		if audio.Level(ours[i:i+audio.FrameSamples]) == audio.Quietest &&
			audio.Level(theirs[i:i+audio.FrameSamples]) == audio.Quietest {
			silent++
		}
	}
	assert.Greater(t, silent, 40, "the pause is a gap")

	// One window has the sound; another can take it over.
	second := win.another("/")
	second.sound("elsewhere")
	second.click("button", "Sound is in another window")
	second.click("item", "Bring the sound here")
	second.sound("on")
	win.sound("elsewhere")
}

func TestWithoutAMicrophoneOneListens(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	win := w.signedIn(t, "Ines")
	win.sound("listening")
	win.click("button", "Listening only")
	win.see("you can listen")
	win.keys(kb.Escape)
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	require.Eventually(t, func() bool { return w.sim.TheyAnswer(beritMobile) }, patience, pace)
	win.drawn(10)
	win.command("e")
}

// recorded makes recordings of the newest conversations.
func (w *world) recorded(t *testing.T, count int) {
	t.Helper()
	speech, err := media.NewSpeech(filepath.Join(w.data, "voices"))
	require.NoError(t, err)
	require.NoError(t, demo.Record(t.Context(), w.Store, speech, filepath.Join(w.data, calls.RecordingsDir), count))
}

func TestAMessageIsLeftAfterTheBeep(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	win := w.signedIn(t, "Ines")
	win.keys("/")
	win.keys("413 555 0153")
	win.see("413 555 0153", "[role=listbox]")
	win.keys(kb.Enter)
	win.see("ringing", slipPart)
	require.Eventually(t, func() bool { return w.sim.TheyAnswer(demo.HasLowBeep) }, patience, pace)
	win.see("speaking", slipPart)
	win.recording("going")
	win.leaveFields()
	win.command("d")
	win.see("Somebody is on the line", slipPart) // a greeting may be a person's
	win.command("d")
	win.see("You are free.")
	win.command("7")
	win.see("Files “Left a message”", slipPart)
	win.command("f")
	win.until("the slip is filed while the message is being left", `!document.querySelector('[data-testid=slip]')`)
	var end string
	require.Eventually(t, func() bool {
		return w.Store.Pool.QueryRow(t.Context(), `SELECT c.end_reason FROM calls c JOIN recordings r ON r.call_id = c.id AND r.state = 'kept' WHERE c.remote_e164 = $1 AND c.ended_at IS NOT NULL
			ORDER BY c.started_at DESC LIMIT 1`, demo.HasLowBeep).Scan(&end) == nil
	}, time.Minute, pace)
	assert.Equal(t, "message_left", end)
	ours, theirs := w.sides(t)
	var beep audio.Beep
	at := -1
	for i := 0; i+audio.FrameSamples <= len(theirs) && at < 0; i += audio.FrameSamples {
		if beep.Add(theirs[i : i+audio.FrameSamples]) {
			at = i
		}
	}
	require.Positive(t, at, "they beeped")
	assert.InDelta(t, 440, beep.Hz, 10)
	_, before := most(ours[at-audio.Rate:at], whistle) // that the call is recorded was said at its beginning
	_, after := most(ours[at:], whistle)
	assert.Zero(t, before, "nothing is said while the greeting goes on")
	assert.Greater(t, after, 200, "and the whole message after it")
}

func TestTheTelephoneRingsFirst(t *testing.T) {
	t.Parallel()
	const own = "+14135550160"
	w := startSpeaking(t)
	win := w.signedIn(t, "Ines")
	win.visit("/settings?tab=sound")
	win.fill("Number", "413 555 0160")
	win.runs(`[...document.querySelectorAll('form label')].find((l) => l.innerText.startsWith('My calls are spoken')).querySelector('input').click()`)
	win.click("button", "Save")
	win.click("button", "Call me with a code")
	win.see("type the code that you hear")
	win.accessible("sound and one's own telephone")
	require.Eventually(t, func() bool { return w.sim.TheyAnswer(own) }, patience, pace)
	win.fill("Code", "no code")
	win.click("button", "Confirm")
	win.see("this is not the code that was spoken")
	leg := func(to string) string {
		for _, l := range w.sim.OutsideLegs() {
			if l.To == to {
				return l.Ref
			}
		}
		return ""
	}
	require.Eventually(t, func() bool { return leg(own) == "" }, patience, pace, "the code is spoken and that is all")
	_, err := w.Store.Pool.Exec(t.Context(), `UPDATE telephones SET verified_at = now()`)
	require.NoError(t, err)
	win.visit("/settings?tab=sound")
	win.see("Confirmed", "form")
	win.click("button", "Save")
	win.see("Saved.")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("Your telephone 413 555 0160 rings for Berit Osterlund")
	win.accessible("one's telephone rings")
	require.Eventually(t, func() bool { return w.sim.TheyAnswer(own) }, patience, pace)
	win.see("Press 1 there")
	require.Empty(t, leg(beritMobile), "nobody is called before")
	require.True(t, w.sim.OutsidePresses(leg(own), "1"))
	win.see("ringing", slipPart)
	win.see("By telephone", "[data-testid=sound]")
	require.Eventually(t, func() bool { return w.sim.TheyAnswer(beritMobile) }, patience, pace)
	win.recording("going")
	require.True(t, w.sim.OutsideSays(leg(own), "Good morning, this is Ines, by my own telephone."))
	win.drawn(15)
	require.Eventually(t, func() bool {
		ours, _ := w.sides(t)
		_, speech := most(ours, whistle)
		return speech > 50
	}, patience, 50*time.Millisecond, "what is said there is ours")
	require.True(t, w.sim.OutsideHangsUp(leg(own)))
	win.see("we hung up", slipPart)
}

func TestKeysPassAMenu(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	win := w.signedIn(t, "Ines")
	win.keys("/")
	win.keys(demo.HasMenu)
	win.see("Call", "[role=listbox]")
	win.keys(kb.Enter)
	win.see("ringing", slipPart)
	require.Eventually(t, func() bool { return w.sim.TheyAnswer(demo.HasMenu) }, patience, pace)
	win.recording("going")
	win.click("button", "Keypad", slipPart)
	win.keys("2")
	win.see("Sent: 2")
	win.keys(kb.Escape)
	win.drawn(40)
	win.command("e")
	win.until("over", `document.querySelector('[data-testid=slip]')?.dataset.phase === 'ended'`)
	var said string
	require.Eventually(t, func() bool {
		return w.Store.Pool.QueryRow(t.Context(),
			`SELECT t.phrases::text FROM transcripts t JOIN recordings r ON r.id = t.recording_id JOIN calls c ON c.id = r.call_id WHERE c.remote_e164 = $1`,
			demo.HasMenu).Scan(&said) == nil
	}, patience, pace)
	assert.Contains(t, said, "For the cellar press two")
	assert.Contains(t, said, "Cellar. Speak up", "the menu has heard the key")
}
