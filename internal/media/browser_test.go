package media_test

import (
	"bytes"
	"log/slog"
	"net"
	"os/exec"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/pion/interceptor"
	"github.com/pion/rtp"
	"github.com/pion/webrtc/v4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/audio"
	"trundo/internal/media"
)

// echo is an outside that gives back what it hears.
type echo struct{ frames chan media.Frame }

func (e *echo) Read(f *media.Frame) bool {
	select {
	case *f = <-e.frames:
		return true
	default:
		return false
	}
}

func (e *echo) Write(f *media.Frame) {
	select {
	case e.frames <- *f:
	default:
	}
}

// client is a browser made of pion.
type client struct {
	pc    *webrtc.PeerConnection
	track *webrtc.TrackLocalStaticRTP
	heard atomic.Int64 // frames with sound in them
}

func newClient(t *testing.T, mime string) *client {
	t.Helper()
	codecs := &webrtc.MediaEngine{}
	rate := uint32(8000)
	if mime != webrtc.MimeTypePCMU {
		rate = 48000
	}
	require.NoError(t, codecs.RegisterCodec(webrtc.RTPCodecParameters{PayloadType: 0,
		RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: mime, ClockRate: rate}}, webrtc.RTPCodecTypeAudio))
	var s webrtc.SettingEngine
	s.SetIncludeLoopbackCandidate(true)
	s.SetNetworkTypes([]webrtc.NetworkType{webrtc.NetworkTypeUDP4})
	pc, err := webrtc.NewAPI(webrtc.WithMediaEngine(codecs), webrtc.WithSettingEngine(s),
		webrtc.WithInterceptorRegistry(&interceptor.Registry{})).NewPeerConnection(webrtc.Configuration{})
	require.NoError(t, err)
	c := &client{pc: pc}
	t.Cleanup(func() { _ = pc.Close() })
	c.track, err = webrtc.NewTrackLocalStaticRTP(webrtc.RTPCodecCapability{MimeType: mime, ClockRate: rate}, "mouth",
		"test")
	require.NoError(t, err)
	_, err = pc.AddTrack(c.track)
	require.NoError(t, err)
	pc.OnTrack(func(remote *webrtc.TrackRemote, _ *webrtc.RTPReceiver) {
		for {
			p, _, err := remote.ReadRTP()
			if err != nil {
				return
			}
			if bytes.Count(p.Payload, []byte{audio.Silence}) < len(p.Payload) {
				c.heard.Add(1)
			}
		}
	})
	return c
}

func (c *client) offer(t *testing.T) string {
	t.Helper()
	offer, err := c.pc.CreateOffer(nil)
	require.NoError(t, err)
	done := webrtc.GatheringCompletePromise(c.pc)
	require.NoError(t, c.pc.SetLocalDescription(offer))
	<-done
	return c.pc.LocalDescription().SDP
}

// connect sits a client down and lets it speak until the test ends.
func (c *client) connect(t *testing.T, b *media.Browsers, user string) {
	t.Helper()
	answer, err := b.Connect(t.Context(), user, c.offer(t))
	require.NoError(t, err)
	require.NoError(t, c.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))
	go func() {
		tick := time.NewTicker(audio.FrameTime)
		defer tick.Stop()
		player, sound, codes := audio.Play(audio.Dial), make([]int16, audio.FrameSamples), make([]byte,
			audio.FrameSamples)
		for i := uint16(0); ; i++ {
			select {
			case <-t.Context().Done():
				return
			case <-tick.C:
				player.Next(sound)
				audio.EncodeFrame(codes, sound)
				_ = c.track.WriteRTP(&rtp.Packet{Header: rtp.Header{Version: 2, SequenceNumber: i,
					Timestamp: uint32(i) * audio.FrameSamples}, Payload: codes})
			}
		}
	}()
}

func newBrowsers(t *testing.T) (*media.Studio, *media.Browsers) {
	t.Helper()
	studio := media.NewStudio()
	b, err := media.NewBrowsers(studio, "127.0.0.1:0", "", slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(func() { studio.Close(); _ = b.Close() })
	return studio, b
}

func TestABrowserSpeaksAndHears(t *testing.T) {
	studio, b := newBrowsers(t)
	changed := make(chan string, 10)
	studio.SeatChanged = func(user string) { changed <- user }
	first := newClient(t, webrtc.MimeTypePCMU)
	first.connect(t, b, "ines")
	assert.Equal(t, "ines", <-changed)
	connected, speaks := studio.Seat("ines").State()
	assert.True(t, connected && speaks)
	call := uuid.New()
	room := studio.Open(call, nil)
	room.SetVoice(0, &echo{make(chan media.Frame, 4)})
	studio.Arrange(call, media.Pair("ines"))
	require.Eventually(t, func() bool { return first.heard.Load() > 10 }, 10*time.Second, 5*time.Millisecond,
		"hears their echo")

	// After a reload another browser sits there, and the call goes on.
	second := newClient(t, webrtc.MimeTypePCMU)
	second.connect(t, b, "ines")
	<-changed
	require.Eventually(t, func() bool { return second.heard.Load() > 10 }, 10*time.Second, 5*time.Millisecond,
		"the same call")
	require.NoError(t, second.pc.Close())
	require.Eventually(t, func() bool { connected, _ := studio.Seat("ines").State(); return !connected },
		20*time.Second, 10*time.Millisecond, "it has gone")
	assert.Empty(t, studio.Shut(call))
	assert.Nil(t, studio.Room(call))
}

func TestOffersThatCannotBe(t *testing.T) {
	_, b := newBrowsers(t)
	_, err := b.Connect(t.Context(), "ines", newClient(t, webrtc.MimeTypeOpus).offer(t))
	require.ErrorIs(t, err, media.ErrNoPCMU)
	for _, offer := range []string{"", "v=0", "PCMU/8000",
		"v=0\r\no=- 1 1 IN IP4 0.0.0.0\r\ns=-\r\nt=0 0\r\nm=audio 9 UDP/TLS/RTP/SAVPF 0\r\na=rtpmap:0 PCMU/8000\r\n"} {
		_, err := b.Connect(t.Context(), "ines", offer)
		require.Error(t, err, "%q", offer)
	}
}

func TestStrangersAreNotHeard(t *testing.T) {
	studio, b := newBrowsers(t)
	c := newClient(t, webrtc.MimeTypePCMU)
	answer, err := b.Connect(t.Context(), "ines", c.offer(t))
	require.NoError(t, err)
	port := answer[bytes.Index([]byte(answer), []byte("127.0.0.1 "))+10:]
	conn, err := net.Dial("udp4", "127.0.0.1:"+port[:bytes.IndexByte([]byte(port), ' ')])
	require.NoError(t, err)
	defer conn.Close()
	packet, err := (&rtp.Packet{Header: rtp.Header{Version: 2}, Payload: make([]byte, 160)}).Marshal()
	require.NoError(t, err)
	for range 100 {
		_, err = conn.Write(packet)
		require.NoError(t, err)
	}
	c.connectTo(t, answer)
	came, _, _, _ := studio.Seat("ines").Counts()
	assert.Zero(t, came, "only what the browser sends, which is nothing, is heard")
}

// connectTo takes an answer and waits until the connection stands.
func (c *client) connectTo(t *testing.T, answer string) {
	t.Helper()
	stands := make(chan struct{})
	c.pc.OnConnectionStateChange(func(s webrtc.PeerConnectionState) {
		if s == webrtc.PeerConnectionStateConnected {
			close(stands)
		}
	})
	require.NoError(t, c.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))
	<-stands
}

func TestTextIsSpokenAndKept(t *testing.T) {
	if _, err := exec.LookPath("espeak-ng"); err != nil {
		t.Fatal("espeak-ng is not installed: run make setup-test")
	}
	dir := t.TempDir()
	s, err := media.NewSpeech(dir)
	require.NoError(t, err)
	codes, err := s.Speak(t.Context(), "en-us+f2", "Good morning, this is Lindenfall Cisterns.")
	require.NoError(t, err)
	assert.Greater(t, len(codes), 8000, "more than a second")
	samples := make([]int16, len(codes))
	audio.DecodeFrame(samples, codes)
	assert.Greater(t, audio.Level(samples), -35.0)
	t.Setenv("PATH", t.TempDir()) // kept: no program is asked
	again, err := s.Speak(t.Context(), "en-us+f2", "Good morning, this is Lindenfall Cisterns.")
	require.NoError(t, err)
	assert.Equal(t, codes, again)
	_, err = s.Speak(t.Context(), "en-us+f2", "Something else.")
	require.ErrorIs(t, err, media.ErrNoSpeech)
	for _, voice := range []string{"", "-v", "en us", "../x", "en;rm"} {
		_, err = s.Speak(t.Context(), voice, "Hello")
		require.Error(t, err, voice)
	}
	none, err := s.Speak(t.Context(), "en-us", "  ")
	require.NoError(t, err)
	assert.Empty(t, none)
}

// No voice may be taken for a beep or a tone of the network.
func TestSpeechIsNoBeep(t *testing.T) {
	s, err := media.NewSpeech(t.TempDir())
	require.NoError(t, err)
	for voice, text := range map[string]string{
		"en-us+m3": "Hello? Yes, speaking. Oh, it is about the tank behind the greenhouse. It has been leaking at " +
			"the overflow since Monday.",
		"en-gb+f2": "You have reached the brewery. Please leave your name and number after the tone. Mmmmm. Ooooh. " +
			"Aaaah. Eeeee.",
		"en-us+f4": "For the shop press one. For the workshop press two. To hear this again press nine.",
	} {
		codes, err := s.Speak(t.Context(), voice, text)
		require.NoError(t, err)
		samples := make([]int16, len(codes))
		audio.DecodeFrame(samples, codes)
		var beep audio.Beep
		var progress audio.Progress
		for ; len(samples) >= audio.FrameSamples; samples = samples[audio.FrameSamples:] {
			require.False(t, beep.Add(samples[:audio.FrameSamples]), text)
			require.Equal(t, audio.NoSignal, progress.Add(samples[:audio.FrameSamples]), text)
		}
	}
}
