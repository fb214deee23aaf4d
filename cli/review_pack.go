package cli

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/input"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/term"
)

const packFormat = "opengauge.review-pack/1"

// reviewPack is a review with its sessions, to be carried to another logbook.
type reviewPack struct {
	Format string `json:"format"`
	// Review is the name of the review, and File the name of its file.
	Review string `json:"review"`
	File   string `json:"file"`
	// Files are the review's file and those that it names, by their names.
	Files    map[string]string  `json:"files"`
	Sessions []*session.Session `json:"sessions"`
}

func newReviewPack(env *environment) *cobra.Command {
	out := ""
	cmd := &cobra.Command{
		Use:   "pack FILE",
		Short: "Pack a review, the files that it names, and what was measured for it into one file",
		Long: `Pack writes a review with its bench book, its plans and all that was measured for it
into one file, to be carried to another host or to somebody else. review take takes it
in there.`,
		Example: "  opengauge review pack review.yaml --out cases.json.gz",
		Args:    cobra.ExactArgs(1),
		RunE:    func(_ *cobra.Command, arguments []string) error { return env.reviewPack(arguments[0], out) },
	}
	cmd.Flags().StringVar(&out, "out", "", "the file to write, FILE.json.gz (default NAME.json.gz after the review)")
	env.addBenchFlag(cmd)
	return cmd
}

func (e *environment) reviewPack(file, out string) error {
	r, err := e.loadReview(file)
	if err != nil {
		return err
	}
	all, err := e.reviewSessions(&r)
	if err != nil {
		return err
	}
	pack := reviewPack{Format: packFormat, Review: r.Name, File: filepath.Base(file),
		Files: map[string]string{filepath.Base(file): string(r.Source)}, Sessions: []*session.Session{}}
	for _, s := range all {
		if s.Review != nil {
			pack.Sessions = append(pack.Sessions, s)
		}
	}
	for _, name := range r.Files {
		if !filepath.IsLocal(name) {
			return fmt.Errorf("the review names %s, which does not lie beside it; put it there, so that it can be packed", name)
		}
		source, err := input.ReadFile(filepath.Join(filepath.Dir(file), name), input.Text)
		if err != nil {
			return err
		}
		pack.Files[filepath.ToSlash(name)] = string(source)
	}
	if out == "" {
		out = strings.ReplaceAll(r.Name, " ", "-") + ".json.gz"
	}
	if err := e.writeFile(out, func(w io.Writer) error { return writePack(w, pack) }); err != nil {
		return err
	}
	e.wrote(out)
	e.screen().Printf("%s and %s; take them in with: opengauge review take %s\n",
		unit.Count(len(pack.Sessions), "session"), unit.Count(len(pack.Files), "file"), out)
	return nil
}

func writePack(w io.Writer, pack reviewPack) error {
	packed := gzip.NewWriter(w)
	if err := json.NewEncoder(packed).Encode(pack); err != nil {
		return err
	}
	return packed.Close()
}

func newReviewTake(env *environment) *cobra.Command {
	out := ""
	cmd := &cobra.Command{
		Use:   "take PACK",
		Short: "Take in a packed review: its files into a folder, its sessions into the logbook",
		Long: `Take unpacks what review pack wrote: the review and the files that it names into a
folder, and the sessions into the logbook, each once. A file that is there already and
says something else is left alone, and take says so.`,
		Example: "  opengauge review take cases.json.gz --out cases",
		Args:    cobra.ExactArgs(1),
		RunE:    func(_ *cobra.Command, arguments []string) error { return env.reviewTake(arguments[0], out) },
	}
	cmd.Flags().StringVar(&out, "out", ".", "the folder for the review and the files that it names")
	return cmd
}

// largestPack is the most that a pack may hold once it is unpacked, in bytes.
const largestPack = 1 << 30

func readPack(name string) (reviewPack, error) {
	pack := reviewPack{}
	file, err := os.Open(name)
	if err != nil {
		return pack, fmt.Errorf("could not read the pack: %w", err)
	}
	defer file.Close()
	unpacked, err := gzip.NewReader(file)
	if err != nil {
		return pack, fmt.Errorf("%s is no packed review: %w", name, err)
	}
	source, err := io.ReadAll(io.LimitReader(unpacked, largestPack+1))
	if err == nil && len(source) > largestPack {
		err = errors.New("it holds more than 1 GiB")
	}
	if err == nil {
		err = json.NewDecoder(bytes.NewReader(source)).Decode(&pack)
	}
	switch {
	case err != nil:
		return pack, fmt.Errorf("%s is damaged: %w", name, err)
	case pack.Format != packFormat:
		return pack, fmt.Errorf("%s is of the form %q, and no packed review", name, pack.Format)
	}
	for each := range pack.Files {
		if !filepath.IsLocal(filepath.FromSlash(each)) || !strings.HasSuffix(each, ".yaml") {
			return pack, fmt.Errorf("%s holds a file %q, which would not lie in the folder, or is no YAML file", name, each)
		}
	}
	for _, s := range pack.Sessions {
		if s == nil {
			return pack, fmt.Errorf("%s holds an empty session", name)
		}
		if err := s.Check(); err != nil {
			return pack, fmt.Errorf("%s: %w", name, err)
		}
	}
	return pack, nil
}

func (e *environment) reviewTake(name, folder string) error {
	pack, err := readPack(name)
	if err != nil {
		return err
	}
	screen := e.screen()
	for each, source := range pack.Files {
		to := filepath.Join(folder, filepath.FromSlash(each))
		there, err := input.ReadFile(to, input.Text)
		switch {
		case err == nil && string(there) == source:
			continue
		case err == nil:
			screen.Paragraph("  ", to+" is there already and says something else; it was left alone")
			continue
		}
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return fmt.Errorf("could not make a folder for the review: %w", err)
		}
		if err := e.writeFile(to, func(w io.Writer) error {
			_, err := io.WriteString(w, source)
			return err
		}); err != nil {
			return err
		}
	}
	book, err := e.createLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	done, err := book.Import(func(yield func(*session.Session, error) bool) {
		for _, s := range pack.Sessions {
			if !yield(s, nil) {
				return
			}
		}
	})
	if err != nil {
		return err
	}
	counter := term.NewScreen(e.stdout)
	counter.Printf("added %s of the review %s; %d already there\n", unit.Count(done.Added, "session"), pack.Review,
		done.Known)
	counter.Printf("Next: opengauge review status %s\n", filepath.Join(folder, pack.File))
	return nil
}
