package demo

import (
	"context"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"os"
	"path/filepath"
	"time"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/audio"
	"trundo/internal/media"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Recordings is how many of the newest conversations of the demo can be heard.
const Recordings = 30

// The lengths of conversations that are recorded: longer ones would take long to make.
const shortest, longestRecorded = 25 * time.Second, 2 * time.Minute

// dialogue is what is said in turn, first by whoever answered, in pairs of them and us.
type dialogue [][2]string

// dialogues are about what the firm does. Each begins with whom we speak to; names are left out, so that they fit
// everybody.
var dialogues = []dialogue{
	{{"Hello?", "Good morning, this is Lindenfall Cisterns. I am calling about the tank behind your greenhouse."},
		{"Oh good. It has been leaking at the overflow since Monday, and the pump runs all the time.",
			"Does the water come from the pipe itself, or from the lid?"},
		{"From the pipe, where it goes into the wall.",
			"Then it is most likely the seal. Somebody can look at it on Thursday, not before ten."},
		{"Thursday suits us. Please tell them to ring at the gate.",
			"I have written that down. Thank you, until Thursday."}, {"Goodbye.", ""}},
	{{"Yes, good day.", "Good day. You asked us for an offer for two tanks of five thousand litres."},
		{"Right, we had a look at it. The larger tank is what we want, but the pump seems too strong for two taps.",
			"How far is it from the tank to the taps?"},
		{"Perhaps thirty metres, a little uphill.",
			"Then the smaller pump will do. It also needs less current, about half."},
		{"That is what I thought. And what would that cost?",
			"Some two hundred less. I will send the offer again today with the smaller pump."},
		{"Very good, thank you.", "You are welcome. Goodbye."}},
	{{"Hello, who is this?", "Lindenfall Cisterns, the service. Your filter is due for its yearly look."},
		{"I have only a minute, we are in the middle of the harvest.", "Of course. Does the fine filter still clog?"},
		{"Yes, we rinse it every evening.",
			"Then I will send you the finer one to try, at no cost. When may I call again?"},
		{"Next week, in the afternoon.", "I will call on Tuesday after three. Good luck with the harvest."}},
	{{"Town works, good day.", "Good day. You have an older plant of ours, from nineteen ninety eight, is that right?"},
		{"It is. Two tanks, and a controller that nobody here understands.",
			"We still have the drawings. A colleague could explain it on the spot."},
		{"Would that be part of a yearly visit?",
			"It would. The visit includes the controller, the float switch and the overflow."},
		{"Then please put that in writing for the council.",
			"You will have it by Friday. Whom should I address it to?"},
		{"To me, that is easiest.", "Gladly. Thank you for your time."}},
}

// Record makes recordings of the newest conversations, so many at most: two voices that speak in turn, sometimes over
// each other, for as long as the call was. Where nothing can be spoken there are none.
func Record(ctx context.Context, s *store.Store, speech firm.Speech, dir string, count int) error {
	if _, err := speech.Speak(ctx, voices[0], "Good morning."); err != nil {
		return nil // without espeak-ng the demo is silent
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return fmt.Errorf("the folder for recordings: %w", err)
	}
	rows, err := s.Pool.Query(ctx, `SELECT c.id, c.answered_at, c.talk_ms, c.remote_e164, s.user_id FROM calls c JOIN slips s ON s.call_id = c.id
		WHERE c.talk_ms BETWEEN $1 AND $2 AND NOT c.by_hand ORDER BY c.started_at DESC LIMIT $3`, shortest.Milliseconds(), longestRecorded.Milliseconds(), count)
	if err != nil {
		return err
	}
	type made struct {
		id, user uuid.UUID
		at       time.Time
		talk     int64
		number   string
	}
	var found []made
	for rows.Next() {
		var c made
		if err := rows.Scan(&c.id, &c.at, &c.talk, &c.number, &c.user); err != nil {
			return err
		}
		found = append(found, c)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(seed, uint64(len(found))))
	for i, c := range found {
		length := int(c.talk) * audio.Rate / 1000
		ours, theirs, phrases, err := speak(ctx, speech, dialogues[i%len(dialogues)], voiceOf(c.user.String()),
			voiceOf(c.number), length, r)
		if err != nil {
			return err
		}
		id := store.NewID()
		name := id.String() + ".wav"
		take, err := media.WriteTake(filepath.Join(dir, name), ours, theirs)
		if err != nil {
			return err
		}
		if err := calls.EnterRecording(ctx, s.Queries,
			db.InsertRecordingParams{ID: id, CallID: c.id, Kind: "call", Server: "demo", File: name,
				BeganAt: c.at}); err != nil {
			return err
		}
		if err := calls.KeepTake(ctx, s.Queries, id, take); err != nil {
			return err
		}
		if err := calls.KeepWords(ctx, s.Queries, id,
			contract.Transcript{Source: "who wrote the demo", OursKnown: true, Phrases: phrases}); err != nil {
			return err
		}
	}
	return nil
}

func voiceOf(who string) string {
	h := fnv.New32a()
	_, _ = h.Write([]byte(who))
	return voices[h.Sum32()%uint32(len(voices))]
}

// speak lays a dialogue out along so many samples: theirs answer ours after a breath, now and then too early.
func speak(ctx context.Context, speech firm.Speech, d dialogue, our, their string, length int,
	r *rand.Rand) (ours, theirs []byte, phrases []contract.Phrase, err error) {
	ours, theirs = quietLine(length), quietLine(length)
	at := audio.Rate / 3
	for turn := 0; at < length; turn++ {
		for side, text := range d[turn%len(d)] {
			if text == "" {
				continue
			}
			into, voice := theirs, their
			if side == 1 {
				into, voice = ours, our
			}
			codes, err := speech.Speak(ctx, voice, text)
			if err != nil {
				return nil, nil, nil, err
			}
			if copy(into[min(at, length):], codes) > 0 {
				ms := func(samples int) int { return min(samples, length) * 1000 / audio.Rate }
				phrases = append(phrases, contract.Phrase{FromMs: ms(at), ToMs: ms(at + len(codes)), Ours: side == 1,
					Text: text})
			}
			at += len(codes) + audio.Rate/4 + r.IntN(audio.Rate)
			if r.IntN(6) == 0 {
				at = max(0, at-audio.Rate*3/2) // they cannot wait
			}
		}
		if turn == len(d)-1 {
			at += audio.Rate * 3 // something is looked up before they go on
		}
	}
	return ours, theirs, phrases, nil
}

func quietLine(samples int) []byte {
	line := make([]byte, samples)
	for i := range line {
		line[i] = audio.Silence
	}
	return line
}
