package firm

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"time"

	"github.com/jonboulle/clockwork"

	"trundo/internal/blobs"
	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/media"
	"trundo/internal/post"
	"trundo/internal/store"
)

// Config is what a desk is made of.
type Config struct {
	Store       *store.Store
	Carrier     carrier.Carrier
	Clock       clockwork.Clock
	Log         *slog.Logger
	Server      string // this server's name, the same after a restart
	JournalFile string
	FilesDir    string          // for files that are brought in
	Demo        bool            // made-up people may be signed in with one click
	Simulated   bool            // the carrier is the built-in stand-in
	Studio      *media.Studio   // the voices; nil: one of the desk's own
	Browsers    *media.Browsers // takes the sound of browsers; nil: none is taken
	Speech      Speech          // speaks greetings; nil: they are silent
	// writes down what was said; nil: the words of a stand-in's people, as they know them
	Transcriber    Transcriber
	RecordingStore blobs.Store // where recordings are put away; nil: they stay on the disk
	Post           post.Sender // sends text messages and mails; nil: none is sent
	Hooks          *post.Hooks // tells other programs; nil: none is told
	// of 32 bytes: encrypts secrets in the database; nil, in tests: they lie there in plain text
	SecretKey []byte
	// Public is the address at which browsers reach the firm, such as https://calls.example.com; links in mails begin
	// with it. Empty: it is not known.
	Public     string
	MailDomain string // of the addresses of reps who have none of their own
	// LeaseByDatabase compares signs of life by the database's clock, which all servers share. Tests have a clock of
	// their own.
	LeaseByDatabase bool
	// Patience is for how long saving notes waits for the database; 0: as a rep may be made to wait. Tests wait longer, so
	// that none hangs on the machine's speed.
	Patience time.Duration
}

// Sound is a recording's sound, to be read from anywhere.
type Sound struct {
	io.ReadSeekCloser
	Type, Ending string // "audio/wav", ".wav"
}

// Speech makes sound of texts.
type Speech interface {
	Speak(ctx context.Context, voice, text string) ([]byte, error)
}

// Heard is a recording that is to be written down.
type Heard struct {
	Began time.Time
	Long  time.Duration
	Gaps  []media.Gap   // left out: what was said in them is nowhere
	Voice carrier.Voice // the outside's; nil where the carrier has no sound
	Sound func(context.Context) (Sound, error)
}

// Transcriber writes down what was said in a recording. Errors: ErrNotWritten, where trying again does not help; after any
// other it is asked again later.
type Transcriber interface {
	Transcribe(ctx context.Context, h Heard) (contract.Transcript, error)
}

// ErrNotWritten is told by a Transcriber that cannot write a recording down, however often it is asked.
var ErrNotWritten = errors.New("it cannot be written down")
