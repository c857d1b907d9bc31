package media

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"strings"
	"sync"
	"time"

	"github.com/pion/dtls/v3"
	"github.com/pion/interceptor"
	"github.com/pion/logging"
	"github.com/pion/rtp"
	"github.com/pion/webrtc/v4"

	"trundo/internal/core/audio"
)

// The payload types that are spoken (RFC 3551, RFC 4733).
const (
	payloadPCMU   = 0
	payloadEvents = 126
)

// connectIn is how long a browser may take from its offer until its sound is there.
const connectIn = 15 * time.Second

// ErrNoPCMU is told to a browser that does not speak G.711.
var ErrNoPCMU = errors.New("this browser does not speak G.711 (PCMU), which every telephone call needs")

// Browsers takes the sound of browsers by WebRTC, all on one UDP port.
type Browsers struct {
	// Keyed is told of each keypad digit that a rep's browser sends with its voice, in order. Set before use; it may be
	// nil.
	Keyed func(user, digit string)

	studio *Studio
	api    *webrtc.API
	conn   net.PacketConn
	log    *slog.Logger
}

// NewBrowsers listens on a UDP address. public, where it is not empty, is the address by which browsers reach it from
// outside.
func NewBrowsers(studio *Studio, addr, public string, log *slog.Logger) (*Browsers, error) {
	conn, err := (&net.ListenConfig{}).ListenPacket(context.Background(), "udp4", addr)
	if err != nil {
		return nil, fmt.Errorf("the port for sound, %s, is in use or not allowed: end what listens there, or set "+
			"TRUNDO_SOUND_ADDR: %w", addr, err)
	}
	codecs := &webrtc.MediaEngine{}
	// Browsers prefer Opus where it is offered; a telephone's sound would then be coded twice.
	for _, c := range []webrtc.RTPCodecParameters{
		{PayloadType: payloadPCMU, RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypePCMU,
			ClockRate: audio.Rate, Channels: 1}},
		{PayloadType: payloadEvents, RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: "audio/telephone-event",
			ClockRate: audio.Rate}},
	} {
		if err := codecs.RegisterCodec(c, webrtc.RTPCodecTypeAudio); err != nil {
			return nil, errors.Join(err, conn.Close())
		}
	}
	var s webrtc.SettingEngine
	s.LoggerFactory = &logging.DefaultLoggerFactory{Writer: slog.NewLogLogger(log.Handler(), slog.LevelDebug).Writer(),
		DefaultLogLevel: logging.LogLevelError}
	s.SetICEUDPMux(webrtc.NewICEUDPMux(s.LoggerFactory.NewLogger("mux"), conn))
	s.SetIncludeLoopbackCandidate(true)
	s.SetNetworkTypes([]webrtc.NetworkType{webrtc.NetworkTypeUDP4})
	s.SetSRTPProtectionProfiles(dtls.SRTP_AEAD_AES_128_GCM, dtls.SRTP_AES128_CM_HMAC_SHA1_80)
	if public != "" {
		if err := s.SetICEAddressRewriteRules(webrtc.ICEAddressRewriteRule{External: []string{public},
			AsCandidateType: webrtc.ICECandidateTypeHost}); err != nil {
			return nil, errors.Join(err, conn.Close())
		}
	}
	// No interceptors: those by default bring packets without sound.
	api := webrtc.NewAPI(webrtc.WithMediaEngine(codecs), webrtc.WithSettingEngine(s),
		webrtc.WithInterceptorRegistry(&interceptor.Registry{}))
	return &Browsers{studio: studio, api: api, conn: conn, log: log}, nil
}

// Close ends listening. Close the studio first: it ends the connections.
func (b *Browsers) Close() error { return b.conn.Close() }

// Connect takes a browser's offer (SDP, RFC 8866) for the seat of a rep and answers it; the browser that sat there
// before is left. Errors: ErrNoPCMU, and those of a malformed offer.
func (b *Browsers) Connect(ctx context.Context, user, offer string) (answer string, err error) {
	if !strings.Contains(strings.ToUpper(offer), "PCMU/8000") {
		return "", ErrNoPCMU
	}
	pc, err := b.api.NewPeerConnection(webrtc.Configuration{})
	if err != nil {
		return "", fmt.Errorf("connecting a browser: %w", err)
	}
	answer, err = b.connect(ctx, pc, user, offer)
	if err != nil {
		return "", errors.Join(fmt.Errorf("connecting a browser: %w", err), pc.Close())
	}
	return answer, nil
}

func (b *Browsers) connect(ctx context.Context, pc *webrtc.PeerConnection, user, offer string) (string, error) {
	track, err := webrtc.NewTrackLocalStaticRTP(webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypePCMU,
		ClockRate: audio.Rate, Channels: 1}, "call", "trundo")
	if err != nil {
		return "", err
	}
	if err := pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeOffer, SDP: offer}); err != nil {
		return "", err
	}
	if _, err := pc.AddTrack(track); err != nil {
		return "", err
	}
	seat := b.studio.Seat(user)
	w := &browserWay{pc: pc, track: track, began: time.Now()}
	speaks := sendsSound(offer)
	// A browser that never gets through is left after a while.
	patience := time.AfterFunc(connectIn, func() { _ = pc.Close() })
	pc.OnConnectionStateChange(func(state webrtc.PeerConnectionState) {
		switch state {
		case webrtc.PeerConnectionStateConnected:
			patience.Stop()
			b.log.Debug("a browser's sound is connected", "user", user, "after", time.Since(w.began))
			seat.Sit(w, speaks)
		case webrtc.PeerConnectionStateFailed, webrtc.PeerConnectionStateClosed, webrtc.PeerConnectionStateDisconnected:
			seat.Leave(w, time.Now())
			if state == webrtc.PeerConnectionStateFailed {
				go w.Close()
			}
		}
	})
	pc.OnTrack(func(remote *webrtc.TrackRemote, _ *webrtc.RTPReceiver) { b.hear(remote, seat) })
	answer, err := pc.CreateAnswer(nil)
	if err != nil {
		return "", err
	}
	gathered := webrtc.GatheringCompletePromise(pc)
	if err := pc.SetLocalDescription(answer); err != nil {
		return "", err
	}
	select {
	case <-gathered:
	case <-ctx.Done():
		return "", ctx.Err()
	}
	return pc.LocalDescription().SDP, nil
}

// sendsSound tells whether an offer has a microphone behind it.
func sendsSound(offer string) bool {
	return strings.Contains(offer, "a=sendrecv") || strings.Contains(offer, "a=sendonly")
}

// hear puts what a browser says into its seat, until it ends.
func (b *Browsers) hear(remote *webrtc.TrackRemote, seat *Seat) {
	packet := &rtp.Packet{}
	var keys keyReader
	buffer := make([]byte, 1500)
	for {
		n, _, err := remote.Read(buffer)
		if err != nil {
			return
		}
		if err := packet.Unmarshal(buffer[:n]); err != nil {
			continue
		}
		switch packet.PayloadType {
		case payloadPCMU:
			seat.Hear(packet.Timestamp, packet.Payload)
		case payloadEvents:
			if digit := keys.read(packet.Timestamp, packet.Payload); digit != 0 && b.Keyed != nil {
				b.Keyed(seat.user, string(digit))
			}
		}
	}
}

// browserWay is the way to one browser.
type browserWay struct {
	pc    *webrtc.PeerConnection
	track *webrtc.TrackLocalStaticRTP
	began time.Time

	mu     sync.Mutex
	packet rtp.Packet
	last   time.Time
}

// Send numbers a frame. Between calls nothing is sent, so RTP time leaps, and the first packet after is marked (RFC
// 3551, 4.1).
func (w *browserWay) Send(f *Frame) {
	w.mu.Lock()
	defer w.mu.Unlock()
	now := time.Now()
	h := &w.packet.Header
	h.Version, h.PayloadType = 2, payloadPCMU
	h.SequenceNumber++
	pause := now.Sub(w.last)
	if h.Marker = pause > time.Second; h.Marker && !w.last.IsZero() {
		h.Timestamp += uint32(pause/audio.FrameTime) * FrameBytes
	} else {
		h.Timestamp += FrameBytes
	}
	w.last, w.packet.Payload = now, f[:]
	_ = w.track.WriteRTP(&w.packet) // a browser that has gone is told by its state
}

// Close ends the connection.
func (w *browserWay) Close() { _ = w.pc.Close() }
