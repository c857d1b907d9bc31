package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/pion/interceptor"
	"github.com/pion/rtp"
	"github.com/pion/webrtc/v4"

	"trundo/internal/core/audio"
	"trundo/internal/media"
)

const (
	// udpCalls is how many browsers speak at once, and udpFor for how long.
	udpCalls = 40
	udpFor   = 10 * time.Second
)

// udpFigures are those of calls whose reps speak over UDP, by pion on both sides, in one process.
type udpFigures struct {
	ours, bare float64 // ms of processor time for a call and a second, the browser's side included
	heard      float64 // part of the frames that came back to the browsers, 0 to 1
}

// browser is the side of a rep's browser: it speaks a frame every 20 ms and counts what it hears.
type browser struct {
	pc    *webrtc.PeerConnection
	track *webrtc.TrackLocalStaticRTP
	heard *atomic.Int64
}

func peer() (*webrtc.API, error) {
	codecs := &webrtc.MediaEngine{}
	if err := codecs.RegisterCodec(webrtc.RTPCodecParameters{RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypePCMU, ClockRate: audio.Rate, Channels: 1}},
		webrtc.RTPCodecTypeAudio); err != nil {
		return nil, err
	}
	s := webrtc.SettingEngine{}
	s.SetIncludeLoopbackCandidate(true)
	s.SetNetworkTypes([]webrtc.NetworkType{webrtc.NetworkTypeUDP4})
	return webrtc.NewAPI(webrtc.WithMediaEngine(codecs), webrtc.WithSettingEngine(s),
		webrtc.WithInterceptorRegistry(&interceptor.Registry{})), nil
}

func newBrowser(heard *atomic.Int64) (*browser, string, error) {
	api, err := peer()
	if err != nil {
		return nil, "", err
	}
	b := &browser{heard: heard}
	if b.pc, err = api.NewPeerConnection(webrtc.Configuration{}); err != nil {
		return nil, "", err
	}
	if b.track, err = speaking(b.pc); err != nil {
		return nil, "", err
	}
	b.pc.OnTrack(func(remote *webrtc.TrackRemote, _ *webrtc.RTPReceiver) {
		buffer := make([]byte, 1500)
		for {
			if _, _, err := remote.Read(buffer); err != nil {
				return
			}
			heard.Add(1)
		}
	})
	offer, err := b.pc.CreateOffer(nil)
	if err != nil {
		return nil, "", err
	}
	sdp, err := described(b.pc, offer)
	return b, sdp, err
}

func speaking(pc *webrtc.PeerConnection) (*webrtc.TrackLocalStaticRTP, error) {
	track, err := webrtc.NewTrackLocalStaticRTP(webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypePCMU,
		ClockRate: audio.Rate, Channels: 1}, "mouth", "bench")
	if err != nil {
		return nil, err
	}
	_, err = pc.AddTrack(track)
	return track, err
}

// described sets a description and waits until it says by which ways its side is reached.
func described(pc *webrtc.PeerConnection, d webrtc.SessionDescription) (string, error) {
	done := webrtc.GatheringCompletePromise(pc)
	if err := pc.SetLocalDescription(d); err != nil {
		return "", err
	}
	<-done
	return pc.LocalDescription().SDP, nil
}

// speak sends frames until the context ends.
func (b *browser) speak(ctx context.Context) {
	tick := time.NewTicker(audio.FrameTime)
	defer tick.Stop()
	packet := &rtp.Packet{Header: rtp.Header{Version: 2}, Payload: speech0[:]}
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		packet.SequenceNumber++
		packet.Timestamp += media.FrameBytes
		_ = b.track.WriteRTP(packet)
	}
}

// bareEcho answers an offer with a connection that sends back each packet as it came: all that pion itself costs.
func bareEcho(offer string) (*webrtc.PeerConnection, string, error) {
	api, err := peer()
	if err != nil {
		return nil, "", err
	}
	pc, err := api.NewPeerConnection(webrtc.Configuration{})
	if err != nil {
		return nil, "", err
	}
	if err := pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeOffer, SDP: offer}); err != nil {
		return nil, "", err
	}
	track, err := speaking(pc)
	if err != nil {
		return nil, "", err
	}
	pc.OnTrack(func(remote *webrtc.TrackRemote, _ *webrtc.RTPReceiver) {
		packet := &rtp.Packet{}
		buffer := make([]byte, 1500)
		for {
			n, _, err := remote.Read(buffer)
			if err != nil {
				return
			}
			if packet.Unmarshal(buffer[:n]) == nil {
				_ = track.WriteRTP(packet)
			}
		}
	})
	answer, err := pc.CreateAnswer(nil)
	if err != nil {
		return nil, "", err
	}
	sdp, err := described(pc, answer)
	return pc, sdp, err
}

// overUDP measures calls of browsers over UDP: ours bridges each to an outside and records it, bare only sends its
// packets back.
func overUDP(ctx context.Context, dir string) (f udpFigures, err error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return f, err
	}
	studio := media.NewStudio()
	defer studio.Close()
	browsers, err := media.NewBrowsers(studio, "127.0.0.1:0", "", slog.New(slog.DiscardHandler))
	if err != nil {
		return f, err
	}
	defer func() { err = errors.Join(err, browsers.Close()) }()
	var heard atomic.Int64
	f.ours, err = f.load(ctx, &heard, func(offer string) (string, func(), error) {
		id := uuid.New()
		room := studio.Open(id, nil)
		room.SetVoice(0, &talker{sound: speech0, heard: func(*media.Frame) {}})
		studio.Arrange(id, media.Pair(id.String()))
		rec, err := media.NewRecorder(filepath.Join(dir, id.String()+".wav"))
		if err != nil {
			return "", nil, err
		}
		room.Record(rec)
		answer, err := browsers.Connect(ctx, id.String(), offer)
		return answer, func() { studio.Shut(id)[0].Close() }, err
	})
	f.heard = float64(heard.Load()) / (udpCalls * udpFor.Seconds() * 50)
	if err != nil {
		return f, err
	}
	f.bare, err = f.load(ctx, &heard, func(offer string) (string, func(), error) {
		pc, answer, err := bareEcho(offer)
		return answer, func() { _ = pc.Close() }, err
	})
	return f, err
}

// load lets browsers speak, and gives the ms of processor time for a call and a second.
func (f *udpFigures) load(ctx context.Context, heard *atomic.Int64,
	answer func(offer string) (string, func(), error)) (float64, error) {
	ctx, stop := context.WithCancel(ctx)
	var group sync.WaitGroup
	var ends []func()
	defer func() {
		stop()
		group.Wait()
		for _, end := range ends {
			end()
		}
	}()
	for range udpCalls {
		b, offer, err := newBrowser(heard)
		if err != nil {
			return 0, err
		}
		sdp, end, err := answer(offer)
		if err != nil {
			return 0, fmt.Errorf("answering a browser: %w", err)
		}
		ends = append(ends, end, func() { _ = b.pc.Close() })
		connected := make(chan struct{})
		var once sync.Once
		b.pc.OnConnectionStateChange(func(s webrtc.PeerConnectionState) {
			if s == webrtc.PeerConnectionStateConnected {
				once.Do(func() { close(connected) })
			}
		})
		if err := b.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer,
			SDP: sdp}); err != nil {
			return 0, err
		}
		select {
		case <-connected:
		case <-time.After(10 * time.Second):
			return 0, errors.New("a browser was not connected in ten seconds")
		}
		group.Go(func() { b.speak(ctx) })
	}
	time.Sleep(time.Second) // until all are at their pace
	heard.Store(0)
	cpu := used(func() { time.Sleep(udpFor) })
	return 1000 * cpu / udpCalls, nil
}
