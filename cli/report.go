package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/finding"
	"opengauge/core/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/image"
	"opengauge/present/page"
)

func newReport(env *environment) *cobra.Command {
	out, picture, title, drawn := "", "", "", ""
	cmd := &cobra.Command{
		Use:   "report SESSION...",
		Short: "Write a report to read or publish",
		Long: `Report writes one self-contained HTML page about the given sessions: it works
from disk and refers to nothing outside of itself. With --image it writes the
first session's figure as a picture of 1280 by 800: its depth map, or the heat
trace of its longest pass where it has no map, or what --figure says.`,
		Example: `  opengauge report latest --out report.html
  opengauge report fan-off fan-on --out fan.html --title "Does the fan help?"
  opengauge report latest --image trace.png`,
		Args:              cobra.MinimumNArgs(1),
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			return env.report(arguments, title, out, picture, drawn)
		},
	}
	cmd.Flags().StringVar(&out, "out", "", "the page to write, FILE.html")
	cmd.Flags().StringVar(&picture, "image", "", "the picture to write, FILE.png or FILE.svg")
	cmd.Flags().StringVar(&drawn, "figure", "", "the figure of --image: "+strings.Join(pictures, ", "))
	_ = cmd.RegisterFlagCompletionFunc("figure", cobra.FixedCompletions(pictures, cobra.ShellCompDirectiveNoFileComp))
	cmd.Flags().StringVar(&title, "title", "", "the page's title")
	return cmd
}

// The figures that a picture may show.
const (
	pictureStrip  = "chain-strip"
	pictureMap    = "depth-map"
	pictureTrace  = "heat-trace"
	pictureLadder = "fill-ladder"
)

var pictures = []string{pictureStrip, pictureMap, pictureTrace, pictureLadder}

func (e *environment) report(references []string, title, out, picture, drawn string) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	if out == "" && picture == "" {
		return usageError{errors.New("say what to write: --out FILE.html, --image FILE.png, or both")}
	}
	var format image.Format
	if picture != "" {
		if format, err = image.FormatOf(picture); err != nil {
			return usageError{fmt.Errorf("--image: %w", err)}
		}
	}
	if drawn != "" && (picture == "" || !slices.Contains(pictures, drawn)) {
		return usageError{fmt.Errorf("--figure %q goes with --image and is one of %s", drawn, strings.Join(pictures, ", "))}
	}
	sessions, err := e.loadSessions(references)
	if err != nil {
		return err
	}
	if out != "" {
		if err := writePage(out, title, sessions, notation); err != nil {
			return err
		}
		e.screen().Println("wrote " + out)
	}
	if picture != "" {
		if err := writePicture(picture, format, sessions[0], drawn, notation); err != nil {
			return err
		}
		e.screen().Println("wrote " + picture)
	}
	return nil
}

func writePage(name, title string, sessions []*session.Session, notation unit.Notation) error {
	if title == "" {
		title = "Storage measured: " + sessions[0].DisplayName()
		if len(sessions) > 1 {
			title = fmt.Sprintf("Storage measured: %d sessions", len(sessions))
		}
	}
	findings := map[string][]session.Finding{}
	for _, s := range sessions {
		findings[s.ID] = finding.Detect(s)
	}
	return writeFile(name, func(w io.Writer) error {
		return page.Write(w, page.Report{
			Title: title, Sessions: sessions, Findings: findings, Notation: notation,
			Program: Version, Written: time.Now(),
		})
	})
}

// writePicture writes a figure of a session: the one that is named, or else its
// depth map, or else the heat trace of its longest pass.
func writePicture(name string, format image.Format, s *session.Session, drawn string, notation unit.Notation) error {
	maps := figure.DepthMaps(s, notation)
	if drawn == "" && len(maps) > 0 {
		drawn = pictureMap
	}
	switch drawn {
	case pictureStrip:
		strip, known := figure.ChainStripOf(s, notation)
		if !known {
			return fmt.Errorf("session %s knows no hop of its chain, so there is no strip to draw", s.DisplayName())
		}
		return writeFile(name, func(w io.Writer) error { return image.ChainStrip(w, format, strip) })
	case pictureLadder:
		ladder, known := figure.NewFillLadder(s, notation)
		if !known {
			return fmt.Errorf("session %s has no load at two fill levels, so there is no ladder to draw", s.DisplayName())
		}
		return writeFile(name, func(w io.Writer) error { return image.FillLadder(w, format, ladder) })
	case pictureMap:
		if len(maps) == 0 {
			return fmt.Errorf("session %s has no two block sizes and depths, so there is no map to draw", s.DisplayName())
		}
		return writeFile(name, func(w io.Writer) error { return image.DepthMap(w, format, maps[0]) })
	}
	pass := figure.LongestPass(s)
	if pass == nil || len(pass.Samples) < 2 {
		return fmt.Errorf("session %s has no pass of two samples or more, so there is no trace to draw", s.DisplayName())
	}
	trace := figure.NewHeatTrace(s, pass, finding.Detect(s), notation)
	return writeFile(name, func(w io.Writer) error { return image.HeatTrace(w, format, trace) })
}

// writeFile writes a file whole or not at all.
func writeFile(name string, write func(io.Writer) error) (err error) {
	file, err := os.CreateTemp(filepath.Dir(name), ".opengauge-*")
	if err != nil {
		return fmt.Errorf("could not write %s: %w", name, err)
	}
	defer func() {
		if err != nil {
			_ = file.Close()
			_ = os.Remove(file.Name())
			err = fmt.Errorf("could not write %s: %w", name, err)
		}
	}()
	if err := write(file); err != nil {
		return err
	}
	if err := file.Chmod(0o644); err != nil {
		return err
	}
	if err := file.Close(); err != nil {
		return err
	}
	return os.Rename(file.Name(), name)
}
