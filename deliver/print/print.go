// Package print prints pages of Eskadel by a browser of its own, Chromium: as PDF and as PNG. The
// browser is started for each, reads nothing but this server, on loopback, and is gone afterwards.
package print

import (
	"context"
	"errors"
	"fmt"
	"html"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/exec"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	cdpio "github.com/chromedp/cdproto/io"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"eskadel/core/problem"
)

// Papers that can be printed on, in inches, upright.
var papers = map[string][2]float64{"A4": {8.27, 11.69}, "A3": {11.69, 16.54}, "Letter": {8.5, 11}}

// Papers lists what they are called, the usual one first.
var Papers = []string{"A4", "A3", "Letter"}

// How something is printed.
type How struct {
	Kind   string // pdf or png
	Paper  string // of a PDF, one of Papers
	Across bool   // rather than upright
	Foot   string // what stands at the foot of each page, beside its number
}

// Whole is what is wanted, with what is usual where nothing is said.
func (h How) Whole() (How, error) {
	if h.Kind == "" {
		h.Kind = "pdf"
	}
	if h.Paper == "" {
		h.Paper = Papers[0]
	}
	if h.Kind != "pdf" && h.Kind != "png" {
		return h, problem.New(problem.Invalid, "kind", "Pages are printed as pdf or png, not as “%s”.", h.Kind)
	}
	if _, ok := papers[h.Paper]; !ok {
		return h, problem.New(problem.Invalid, "paper", "“%s” is no paper that is known: A4, A3, Letter is.", h.Paper)
	}
	return h, nil
}

// wide is how many pixels pages are laid out in, which are fitted to the paper.
func (h How) wide() int64 {
	if h.Across || h.Kind == "png" {
		return 1280
	}
	return 960
}

// What printing is bounded by.
const (
	margin    = 0.45 // inches
	mostHigh  = 16000
	longest   = 2 * time.Minute
	atOnce    = 2
	mostBytes = 200 << 20
)

// A Printer prints what a handler serves.
type Printer struct {
	browser string
	handler http.Handler
	turns   chan struct{}
	serve   func() (string, error)
}

// New returns a printer with a browser, the one that is found where none is named.
func New(browser string, handler http.Handler) *Printer {
	if browser == "" {
		for _, name := range []string{"chromium", "chromium-browser"} {
			if found, err := exec.LookPath(name); err == nil {
				browser = found
				break
			}
		}
	}
	p := &Printer{browser: browser, handler: handler, turns: make(chan struct{}, atOnce)}
	p.serve = sync.OnceValues(p.listen)
	return p
}

// Ready tells in words why nothing can be printed.
func (p *Printer) Ready() error {
	if p == nil || p.browser == "" {
		return problem.New(problem.Down, "", "Pages cannot be printed here, since no Chromium is installed where Eskadel runs. The browser's own printing makes a PDF too; pictures of single charts need none.")
	}
	return nil
}

// listen serves the handler to the printing browser alone, on a port of loopback.
func (p *Printer) listen() (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	server := &http.Server{Handler: p.handler, ReadHeaderTimeout: 10 * time.Second}
	go func() {
		if err := server.Serve(l); err != nil && !errors.Is(err, http.ErrServerClosed) {
			slog.Warn("pages are no longer served to the printing browser", "error", err)
		}
	}()
	return l.Addr().String(), nil
}

// A state is how much of a page has come.
type state struct {
	Done  int64  `json:"done"`
	Of    int64  `json:"of"`
	Ready bool   `json:"ready"`
	Wrong string `json:"wrong"`
}

// progress is asked of the page: how much of it has come, and of how much.
const progress = `(() => { const of = document.documentElement.dataset; return { done: Number(of.done ?? 0), of: Number(of.of ?? 0), ready: of.ready === "yes", wrong: of.wrong ?? "" } })()`

// Print prints a path, and tells how much of how much has come while it does.
func (p *Printer) Print(ctx context.Context, path string, how How, told func(done, of int64) error) ([]byte, error) {
	if err := p.Ready(); err != nil {
		return nil, err
	}
	how, err := how.Whole()
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, longest)
	defer cancel()
	select {
	case p.turns <- struct{}{}:
		defer func() { <-p.turns }()
	case <-ctx.Done():
		return nil, slow(ctx)
	}
	at, err := p.serve()
	if err != nil {
		return nil, err
	}
	folder, err := os.MkdirTemp("", "eskadel-print-*")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(folder) }()
	flags := append(chromedp.DefaultExecAllocatorOptions[:len(chromedp.DefaultExecAllocatorOptions):len(chromedp.DefaultExecAllocatorOptions)],
		chromedp.ExecPath(p.browser), chromedp.UserDataDir(folder), chromedp.DisableGPU,
		// Whatever a page might ask for elsewhere goes nowhere.
		chromedp.ProxyServer("http://127.0.0.1:9"), chromedp.Flag("proxy-bypass-list", "<-loopback>;"+at),
		chromedp.Flag("disable-quic", true), chromedp.Flag("no-pings", true))
	if os.Geteuid() == 0 {
		flags = append(flags, chromedp.NoSandbox) // which root cannot have
	}
	allocated, stop := chromedp.NewExecAllocator(ctx, flags...)
	defer stop()
	tab, leave := chromedp.NewContext(allocated)
	defer leave()
	err = chromedp.Do(tab,
		chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
			if _, err := cdp.Call(ctx, t, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{Width: how.wide(), Height: 900, DeviceScaleFactor: 1}); err != nil {
				return err
			}
			_, err := cdp.Call(ctx, t, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Media: "print"})
			return err
		}),
		chromedp.Navigate("http://"+at+path))
	if err == nil {
		err = p.wait(tab, told)
	}
	var out []byte
	if err == nil {
		if how.Kind == "png" {
			out, err = shot(tab, how)
		} else {
			out, err = paper(tab, how)
		}
	}
	if err == nil {
		return out, nil
	}
	if ctx.Err() != nil {
		return nil, slow(ctx)
	}
	if problem.Of(err) != nil {
		return nil, err
	}
	return nil, problem.New(problem.Down, "", "The page could not be printed.").Because(err)
}

// slow is why nothing came in time, or that nobody waits for it any more.
func slow(ctx context.Context) error {
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		return problem.New(problem.Slow, "", "Printing took longer than %.0f minutes. Fewer pages, or a narrower range, are printed quicker.", longest.Minutes())
	}
	return ctx.Err()
}

// wait waits until the page has all that it shows.
func (p *Printer) wait(tab context.Context, told func(done, of int64) error) error {
	for every := time.NewTicker(100 * time.Millisecond); ; {
		is, err := chromedp.Run(tab, chromedp.Evaluate[state](progress))
		if err != nil {
			return err
		}
		if is.Wrong != "" {
			return problem.New(problem.Down, "", "The page could not be printed. %s", is.Wrong)
		}
		if err := told(is.Done, is.Of); err != nil {
			return err
		}
		if is.Ready {
			every.Stop()
			return nil
		}
		select {
		case <-tab.Done():
			return tab.Err()
		case <-every.C:
		}
	}
}

// shot is the whole page as one picture, with two pixels for each.
func shot(tab context.Context, how How) (out []byte, err error) {
	high, err := chromedp.Run(tab, chromedp.Evaluate[float64](`Math.ceil(document.documentElement.getBoundingClientRect().height)`))
	if err != nil {
		return nil, err
	}
	if high > mostHigh {
		return nil, problem.New(problem.TooMany, "kind", "This would be a picture of more than %d pixels: print it as PDF, or fewer pages of it.", 2*mostHigh)
	}
	return chromedp.Run(tab, func(ctx context.Context, t *chromedp.Target) ([]byte, error) {
		r, err := cdp.Call(ctx, t, page.CaptureScreenshot, page.CaptureScreenshotParams{CaptureBeyondViewport: is(true), Clip: &page.Viewport{Width: float64(how.wide()), Height: max(high, 1), Scale: 2}})
		return r.Data, err
	})
}

// paper is the page on paper: tagged, with an outline, as wide as the paper.
func paper(tab context.Context, how How) (out []byte, err error) {
	size := papers[how.Paper]
	if how.Across {
		size[0], size[1] = size[1], size[0]
	}
	foot := fmt.Sprintf(`<div style="font: 8px sans-serif; width: 100%%; padding: 0 %.2fin; display: flex; justify-content: space-between; color: #555"><span>%s</span><span>page <span class="pageNumber"></span> of <span class="totalPages"></span></span></div>`, margin, html.EscapeString(how.Foot))
	return chromedp.Run(tab, func(ctx context.Context, t *chromedp.Target) ([]byte, error) {
		r, err := cdp.Call(ctx, t, page.PrintToPDF, page.PrintToPDFParams{
			PaperWidth: size[0], PaperHeight: size[1], Scale: (size[0] - 2*margin) * 96 / float64(how.wide()),
			MarginLeft: is(margin), MarginRight: is(margin), MarginTop: is(margin), MarginBottom: is(0.6),
			PrintBackground: is(true), DisplayHeaderFooter: is(true), HeaderTemplate: "<span></span>", FooterTemplate: foot,
			GenerateTaggedPDF: is(true), GenerateDocumentOutline: is(true), TransferMode: page.PrintToPDFTransferModeReturnAsStream,
		})
		if err != nil {
			return nil, err
		}
		return io.ReadAll(io.LimitReader(&stretch{ctx: ctx, from: t, of: r.Stream}, mostBytes))
	})
}

// is is a value that may be left out.
func is[T any](v T) *T { return &v }

// A stretch reads what the browser hands over in pieces.
type stretch struct {
	ctx  context.Context
	from *chromedp.Target
	of   cdpio.StreamHandle
	rest []byte
	end  bool
}

func (s *stretch) Read(b []byte) (int, error) {
	if len(s.rest) == 0 {
		if s.end {
			return 0, io.EOF
		}
		r, err := cdp.Call(s.ctx, s.from, cdpio.Read, cdpio.ReadParams{Handle: s.of, Size: 1 << 20})
		if err != nil {
			return 0, err
		}
		s.rest, s.end = r.Data, r.EOF
	}
	n := copy(b, s.rest)
	s.rest = s.rest[n:]
	return n, nil
}
