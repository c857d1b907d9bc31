// Package e2e drives the real interface in headless Chromium, by what a person sees: roles, names and texts.
package e2e_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// patience is how long something may take to be seen before a test gives up.
const patience = 30 * time.Second

// pace is how often something is asked about that is not in a page. It is not a wait for anything.
const pace = 25 * time.Millisecond

// startBrowser starts a Chromium, one for all tests but those that need more flags; the answer ends it.
func startBrowser(more ...string) (context.Context, func()) {
	profile, err := os.MkdirTemp("", "trundo-chromium-*")
	if err != nil {
		panic(err)
	}
	options := []chromedp.ExecAllocatorOption{chromedp.Headless, chromedp.NoSandbox, chromedp.NoFirstRun,
		chromedp.DisableGPU, chromedp.UserDataDir(profile),
		chromedp.WindowSize(1280, 800), chromedp.WSURLReadTimeout(time.Minute),
		chromedp.ExecPath("chromium-headless-shell")}
	for _, f := range append([]string{"disable-dev-shm-usage", "disable-quic", "disable-background-networking",
		"disable-component-update", "disable-sync",
		"hide-scrollbars", "force-color-profile=srgb"}, more...) {
		name, value, _ := strings.Cut(f, "=")
		if value == "" {
			options = append(options, chromedp.Flag(name, true))
		} else {
			options = append(options, chromedp.Flag(name, value))
		}
	}
	alloc, stop := chromedp.NewExecAllocator(context.Background(), options...)
	browser, cancel := chromedp.NewContext(alloc)
	if err := chromedp.Do(browser, chromedp.Navigate("about:blank")); err != nil {
		panic(fmt.Sprintf("Chromium does not start: %v (make setup installs Debian's package chromium-headless-shell)",
			err))
	}
	return browser, func() {
		cancel()
		stop()
		_ = os.RemoveAll(profile)
	}
}

// window is one browser window with cookies of its own, and what a person can do with it.
type window struct {
	t    *testing.T
	ctx  context.Context
	base string
	acts int // visible actions so far: clicks, keys pressed, texts typed
}

// open opens a window for somebody who is not signed in.
func open(t *testing.T, base string) *window {
	t.Helper()
	return openIn(t, browser, base)
}

// openIn opens a window of a browser, with cookies if some are given.
func openIn(t *testing.T, browser context.Context, base string, cookies ...*http.Cookie) *window {
	t.Helper()
	ctx, cancel := chromedp.NewContext(browser, chromedp.WithNewBrowserContext())
	t.Cleanup(cancel)
	w := &window{t: t, ctx: ctx, base: base}
	for _, c := range cookies {
		require.NoError(t, chromedp.Do(ctx, chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
			_, err := chromedp.Call(ctx, network.SetCookie,
				network.SetCookieParams{Name: c.Name, Value: c.Value, URL: base, HTTPOnly: &c.HttpOnly})
			return err
		})))
	}
	w.prepare("/")
	return w
}

// another opens a second window of the same person, at a path.
func (w *window) another(path string) *window {
	w.t.Helper()
	ctx, cancel := chromedp.NewContext(w.ctx)
	w.t.Cleanup(cancel)
	second := &window{t: w.t, ctx: ctx, base: w.base}
	second.prepare(path)
	return second
}

// prepare sizes a new window, lends every page in it the helpers, and opens the first.
func (w *window) prepare(path string) {
	w.t.Helper()
	lend := chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Call(ctx, page.AddScriptToEvaluateOnNewDocument,
			page.AddScriptToEvaluateOnNewDocumentParams{Source: helpers})
		return err
	})
	require.NoError(w.t, chromedp.Do(w.ctx, chromedp.EmulateViewport(1280, 800), lend))
	w.visit(path)
}

func (w *window) visit(path string) {
	w.t.Helper()
	require.NoError(w.t, chromedp.Do(w.ctx, chromedp.Navigate(w.base+path)))
}

// goes goes to another view without loading the page again, as a link does.
func (w *window) goes(path string) {
	w.t.Helper()
	eval[any](w, fmt.Sprintf(`history.pushState(null, '', %s)`, quote(path)))
}

// helpers is put into every page: it finds what a person would call by a role and a name, and waits in the page, which
// costs less than asking it again and again.
const helpers = `(() => {
  // What was said in passing, and has gone again, is told where a test fails.
  window.__told = [];
  new MutationObserver((all) => all.forEach((m) => m.addedNodes.forEach((n) => {
    if (n.nodeName === 'LI' && n.parentElement?.matches('ol.fixed')) window.__told.push(n.innerText);
  }))).observe(document, {subtree: true, childList: true});
  const roles = {button: 'button,[role=button]', link: 'a[href]', radio: '[role=radio],[type=radio]', checkbox: '[type=checkbox]', tab: '[role=tab]', option: '[role=option]', item: '[role=menuitem]',
    field: 'input,textarea,[role=combobox]', choice: 'select,[role=combobox]', row: '[role=row]', group: '[role=group],section,[role=dialog],[role=alert],nav', heading: 'h1,h2,h3'};
  const name = (e) => (e.getAttribute('aria-label') || (e.labels && e.labels[0] && e.labels[0].textContent) || e.textContent || '').replace(/\s+/g, ' ').trim();
  const seen = (e) => { const r = e.getBoundingClientRect(); const s = getComputedStyle(e);
    return r.width > 0 && r.height > 0 && s.visibility !== 'hidden' && s.display !== 'none'; };
  window.__find = (role, text, part) => {
    const all = [...(document.querySelector(part || 'body')?.querySelectorAll(roles[role]) ?? [])];
    for (const like of [(n) => n === text, (n) => n.startsWith(text), (n) => n.includes(text)]) { const e = all.find((e) => like(name(e)) && seen(e)); if (e) return e; } };
  const bare = (text) => text.replace(/\s+/g, '').toLowerCase();
  window.__reads = (part, text) => [...document.querySelectorAll(part)].some((e) => // what is shown takes a layout to know
    bare(e.textContent).includes(bare(text)) && e.innerText.replace(/\s+/g, ' ').includes(text));
  // True as soon as look is; it looks whenever the page changes, and ten times a second for what changes without. Otherwise false after a second.
  window.__until = (look) => new Promise((done) => {
    const holds = () => { try { return !!look(); } catch { return false; } };
    if (holds()) return done(true);
    let due = false;
    const end = (result) => { watch.disconnect(); clearInterval(beat); clearTimeout(last); done(result); };
    const check = () => { due = false; if (holds()) end(true); };
    const watch = new MutationObserver(() => { if (!due) { due = true; setTimeout(check, 10); } });
    watch.observe(document, {subtree: true, childList: true, attributes: true, characterData: true});
    const beat = setInterval(check, 100), last = setTimeout(() => end(false), 1000);
  });
  // The middle of something that stands still for three looks; null after a second.
  window.__still = async (role, text, part) => {
    let before, same = 0;
    for (const began = performance.now(); performance.now() - began < 1000; await new Promise((next) => setTimeout(next, 20))) {
      const e = window.__find(role, text, part);
      e?.scrollIntoView({block: 'nearest'});
      const r = e?.getBoundingClientRect(), now = r && {x: r.x + r.width / 2, y: r.y + r.height / 2};
      same = now && before && now.x === before.x && now.y === before.y ? same + 1 : 0;
      if (same === 2) return now;
      before = now;
    }
    return null;
  };
})();`

// eval runs an expression in the page.
func eval[T any](w *window, expression string, options ...chromedp.EvaluateOption) T {
	w.t.Helper()
	v, err := chromedp.Run(w.ctx, chromedp.Evaluate[T](expression, options...))
	require.NoError(w.t, err, expression)
	return v
}

// until waits for an expression to be true in the page.
func (w *window) until(what, expression string) {
	w.t.Helper()
	began := time.Now()
	defer func() {
		if d := time.Since(began); d > time.Second {
			w.t.Logf("%.1f s for %s", d.Seconds(), what)
		}
	}()
	deadline := time.Now().Add(patience)
	for {
		ok, err := chromedp.Run(w.ctx,
			chromedp.Evaluate[bool]("window.__until(() => ("+expression+"))", chromedp.EvalAwaitPromise))
		if err == nil && ok {
			return
		}
		if time.Now().After(deadline) {
			w.fail(fmt.Sprintf("waited in vain for %s (%s, error %v)", what, expression, err))
		}
		if err != nil {
			time.Sleep(pace) // between two pages
		}
	}
}

// fail keeps a picture and the page's text and ends the test.
func (w *window) fail(message string) {
	w.t.Helper()
	if picture, err := chromedp.Run(w.ctx, chromedp.CaptureScreenshot()); err == nil {
		name := filepath.Join(os.TempDir(), strings.ReplaceAll(w.t.Name(), "/", "-")+".png")
		_ = os.WriteFile(name, picture, 0o600)
		message += "\npicture: " + name
	}
	text, _ := chromedp.Run(w.ctx, chromedp.Evaluate[string](`"said in passing: " + window.__told.join(" | ") + "\n" +
		document.body.innerText`))
	w.t.Fatalf("%s\nthe page says:\n%s", message, text)
}

func quote(s string) string {
	b, _ := json.Marshal(s)
	return string(b)
}

// see waits until a text can be read, in the part of the page that selector names if one is given.
func (w *window) see(text string, selector ...string) {
	w.t.Helper()
	part := "body"
	if len(selector) > 0 {
		part = selector[0]
	}
	w.until("“"+text+"”", fmt.Sprintf("window.__reads(%s, %s)", quote(part), quote(text)))
}

// gone waits until a text can no longer be read.
func (w *window) gone(text string, selector ...string) {
	w.t.Helper()
	part := "body"
	if len(selector) > 0 {
		part = selector[0]
	}
	w.until("“"+text+"” to go", fmt.Sprintf("!window.__reads(%s, %s)", quote(part), quote(text)))
}

type point struct{ X, Y float64 }

// where waits for something with a role and a name, in the part of the page that selector names, and tells its middle.
func (w *window) where(role, name string, selector ...string) point {
	w.t.Helper()
	expression := fmt.Sprintf("window.__still(%s, %s, %s)", quote(role), quote(name), quote(strings.Join(selector, "")))
	deadline := time.Now().Add(patience)
	for {
		at, err := chromedp.Run(w.ctx, chromedp.Evaluate[*point](expression, chromedp.EvalAwaitPromise))
		if err == nil && at != nil {
			return *at
		}
		if time.Now().After(deadline) {
			w.fail(fmt.Sprintf("there is no %s “%s” (error %v)", role, name, err))
		}
		if err != nil {
			time.Sleep(pace)
		}
	}
}

// click clicks something with a role and a name, as with a mouse. Where the page moved under the click, so that
// something else got it, it is done again.
func (w *window) click(role, name string, selector ...string) {
	w.t.Helper()
	const arm = `(() => { const e = window.__find(%s, %s, %s), top = document.elementFromPoint(%f, %f);
		if (!e || !(e.contains(top) || top?.closest('label')?.control === e)) return false; // it has gone from there, or something lies over it
		window.__hit = false;
		e.addEventListener(e.ariaHasPopup ? 'pointerdown' : 'click', () => { window.__hit = true; }, {once: true, capture: true}); // a menu opens before the click
		return true; })()`
	for deadline := time.Now().Add(patience); ; {
		at := w.where(role, name, selector...)
		if eval[bool](w, fmt.Sprintf(arm, quote(role), quote(name), quote(strings.Join(selector, "")), at.X, at.Y)) {
			require.NoError(w.t, chromedp.Do(w.ctx, chromedp.MouseClickXY(at.X, at.Y)))
			if hit, err := chromedp.Run(w.ctx, chromedp.Evaluate[bool]("window.__hit !== false")); err != nil || hit {
				break // an error: the click has led to another page
			}
		}
		if time.Now().After(deadline) {
			w.fail(fmt.Sprintf("the %s “%s” does not take a click", role, name))
		}
	}
	w.acts++
}

// fill clicks a field and types into it, replacing what was there.
func (w *window) fill(name, text string) {
	w.t.Helper()
	focused := fmt.Sprintf("window.__find('field', %s, '') === document.activeElement", quote(name))
	for deadline := time.Now().Add(patience); ; {
		at := w.where("field", name)
		require.NoError(w.t, chromedp.Do(w.ctx, chromedp.MouseClickXY(at.X, at.Y, chromedp.ClickCount(3))))
		if eval[bool](w, focused) { // else the page moved under the click, as something above was loaded
			break
		}
		if time.Now().After(deadline) {
			w.fail("the field “" + name + "” does not take the focus")
		}
	}
	require.NoError(w.t, chromedp.Do(w.ctx, chromedp.KeyEvent(text)))
	w.acts++
}

// keys presses keys, one after the other.
func (w *window) keys(text string, modifiers ...chromedp.Modifier) {
	w.t.Helper()
	press := chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		for _, r := range text {
			for _, event := range pressed(r) {
				chromedp.KeyModifiers(modifiers...)(event)
				if _, err := chromedp.Call(ctx, input.DispatchKeyEvent, *event); err != nil {
					return err
				}
			}
		}
		return nil
	})
	require.NoError(w.t, chromedp.Do(w.ctx, press))
	w.acts++
}

// command presses the command key and then another: while a slip lies on the desk, letters alone are notes.
func (w *window) command(key string) {
	w.t.Helper()
	w.keys(kb.F2 + key)
}

// pressed is a key as a keyboard sends it: down with its text in one event, which the page can prevent, then up.
func pressed(r rune) []*input.DispatchKeyEventParams {
	events := kb.Encode(r)
	if len(events) != 3 {
		return events
	}
	down, char, up := *events[0], events[1], events[2]
	down.Text, down.UnmodifiedText = char.Text, char.UnmodifiedText
	return []*input.DispatchKeyEventParams{&down, up}
}

// choose picks an option of a choice by its text.
func (w *window) choose(name, option string) {
	w.t.Helper()
	w.where("choice", name)
	if eval[bool](w, fmt.Sprintf(`window.__find('choice', %s).matches('[role=combobox]')`, quote(name))) {
		w.picks(name, option)
		return
	}
	ok := eval[bool](
		w,
		fmt.Sprintf(
			`(() => { const e = window.__find('choice', %s); const o = [...e.options].find((o) => o.text === %s); if (!o) return false;
		const set = Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set; set.call(e, o.value); e.dispatchEvent(new Event('change', {bubbles: true})); return true; })()`,
			quote(name),
			quote(option),
		),
	)
	require.True(w.t, ok, "no option %s in %s", option, name)
	w.acts++
}

// picks chooses one of those who are found by typing a name.
func (w *window) picks(name, option string) {
	w.t.Helper()
	eval[any](w, fmt.Sprintf(`(() => { const e = window.__find('choice', %s); e.focus(); e.click(); })()`, quote(name)))
	w.until("the list", `!!document.querySelector('[role=listbox] [role=option]')`)
	eval[any](w, fmt.Sprintf(`(() => { const e = document.activeElement;
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(e, %s);
		e.dispatchEvent(new Event('input', {bubbles: true})); })()`, quote(option)))
	w.until(
		option+" to be found",
		fmt.Sprintf(`(() => { const all = [...document.querySelectorAll('[role=listbox] [role=option]')];
		return all.length === 1 && all[0].innerText.includes(%s); })()`, quote(option)),
	)
	w.keys(kb.Enter)
	w.acts++
}

// leaveFields takes the focus off every field, as Esc does for a person.
func (w *window) leaveFields() {
	w.t.Helper()
	w.keys(kb.Escape)
	w.until("no field to have the focus", `!document.activeElement.matches('input, textarea, select')`)
}

// shot keeps a picture of the window.
func (w *window) shot(path string) {
	w.t.Helper()
	// Animations are over and fonts are there before a picture is taken.
	w.until("fonts", "document.fonts.status === 'loaded'")
	picture, err := chromedp.Run(w.ctx, chromedp.CaptureScreenshot())
	require.NoError(w.t, err)
	require.NoError(w.t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(w.t, os.WriteFile(path, picture, 0o644))
}

// upload gives a file to the page's only field for files.
func (w *window) upload(path string) {
	w.t.Helper()
	w.until("a field for files", `!!document.querySelector('input[type=file]')`)
	require.NoError(w.t, chromedp.Do(w.ctx, chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), []string{path})))
	w.acts++
}
