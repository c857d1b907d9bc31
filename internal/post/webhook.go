package post

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"syscall"
	"time"

	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
)

// Hook is one telling of another program, as the Standard Webhooks specification has it.
type Hook struct {
	ID     string // the same however often it is tried
	URL    string
	Secret string // as NewSecret makes them
	At     time.Time
	Body   []byte // JSON
}

// Hooks tells other programs. It follows no redirects, and by itself reaches no address of this machine or inside its
// network, so that nobody makes the server speak with what only it can reach.
type Hooks struct {
	client *http.Client
	inside bool
}

// hookPatience is how long the other program may take.
const hookPatience = 15 * time.Second

// errInside is told of an address that must not be reached.
var errInside = errors.New("this address is on this machine or inside its network, where nobody is told anything " +
	"unless the server is started so")

// NewHooks makes one; inside lets it reach them too, for programs beside it and for tests.
func NewHooks(inside bool) *Hooks {
	dialer := &net.Dialer{Timeout: 5 * time.Second}
	if !inside {
		dialer.Control = func(_, address string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(address)
			if err != nil {
				return err
			}
			if !public(at.Addr()) {
				return errInside
			}
			return nil
		}
	}
	return &Hooks{inside: inside, client: &http.Client{Timeout: hookPatience,
		Transport: &http.Transport{DialContext: dialer.DialContext, Proxy: nil,
			TLSHandshakeTimeout: 5 * time.Second, MaxIdleConns: 10, IdleConnTimeout: 30 * time.Second},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
}

// notPublic are the ranges that lead nowhere outside, or back inside (IANA's special-purpose address registries, RFC
// 6890): what net/netip does not tell.
var notPublic = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("192.0.0.0/24"), netip.MustParsePrefix("198.18.0.0/15"),
	netip.MustParsePrefix("240.0.0.0/4"), netip.MustParsePrefix("64:ff9b::/96"),
	netip.MustParsePrefix("64:ff9b:1::/48"), netip.MustParsePrefix("100::/64"),
	netip.MustParsePrefix("2001::/32"), netip.MustParsePrefix("2002::/16"), netip.MustParsePrefix("::/96"),
}

// public tells whether an address is one of the public network.
func public(ip netip.Addr) bool {
	ip = ip.Unmap().WithZone("")
	if !ip.IsGlobalUnicast() || ip.IsPrivate() {
		return false
	}
	return !slices.ContainsFunc(notPublic, func(p netip.Prefix) bool { return p.Contains(ip) })
}

// NewSecret makes a secret that other programs verify signatures with.
func NewSecret() string {
	key := make([]byte, 24)
	_, _ = rand.Read(key)
	return "whsec_" + base64.StdEncoding.EncodeToString(key)
}

// CheckURL tells what is wrong with the address of a webhook. Without TLS only who may be told inside is told.
func (h *Hooks) CheckURL(address string) error {
	u, err := url.Parse(address)
	if err != nil || u.Hostname() == "" || u.Scheme != "https" && u.Scheme != "http" {
		return errors.New("the address begins with https:// or http://")
	}
	if u.Scheme == "http" && (h == nil || !h.inside) {
		return errors.New("the address begins with https://: what is told is nobody else's to read")
	}
	if u.User != nil {
		return errors.New("an address holds no password: what is sent is signed")
	}
	return nil
}

// Tell sends a hook, signed. It gives the status of the answer, 0 where there was none. Errors: *RefusedError where it
// is gone for good (410) or the address cannot be; any other where it was not taken.
func (h *Hooks) Tell(ctx context.Context, x Hook) (int, error) {
	signer, err := webhooks.NewWebhook(x.Secret)
	if err != nil {
		return 0, &RefusedError{"its secret is no secret"}
	}
	signature, err := signer.Sign(x.ID, x.At, x.Body)
	if err != nil {
		return 0, err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, x.URL, bytes.NewReader(x.Body))
	if err != nil {
		return 0, &RefusedError{err.Error()}
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("User-Agent", "Trundo")
	r.Header.Set(webhooks.HeaderWebhookID, x.ID)
	r.Header.Set(webhooks.HeaderWebhookTimestamp, strconv.FormatInt(x.At.Unix(), 10))
	r.Header.Set(webhooks.HeaderWebhookSignature, signature)
	answer, err := h.client.Do(r)
	if err != nil {
		if errors.Is(err, errInside) {
			return 0, &RefusedError{errInside.Error()}
		}
		return 0, err
	}
	defer answer.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(answer.Body, 64<<10))
	switch {
	case answer.StatusCode >= 200 && answer.StatusCode < 300:
		return answer.StatusCode, nil
	case answer.StatusCode == http.StatusGone:
		return answer.StatusCode, &RefusedError{"the other program wants no more"}
	}
	return answer.StatusCode, fmt.Errorf("the other program answered %d", answer.StatusCode)
}
