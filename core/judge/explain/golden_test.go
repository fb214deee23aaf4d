package explain_test

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/lab/night"
	"opengauge/lab/outside"
	"opengauge/lab/witness"
)

// toldOf writes all that is said of a recording: the likeliest explanations with their
// facts, silences, doubts, figures, and what to do next.
func toldOf(name string, s *session.Session) string {
	var text strings.Builder
	v := verdictOf(s)
	fmt.Fprintf(&text, "%s\n", name)
	for i, share := range v.Shares {
		if i == 4 {
			break
		}
		fmt.Fprintf(&text, "  %.3f %s\n", share.Share, share.Explanation.Name)
		for _, fact := range share.Facts {
			fmt.Fprintf(&text, "    %+.2f %s\n", fact.Nats, fact.Says)
		}
	}
	for _, silence := range v.Silences {
		fmt.Fprintf(&text, "  silent from %.1f to %.1f s, %d errors, returned %v, planned %v: %.3f\n", silence.From,
			silence.To, silence.Errors, silence.Returned, silence.Planned, silence.Probability)
	}
	for _, doubt := range explain.Doubts(s) {
		fmt.Fprintf(&text, "  not believed: %s\n", doubt)
	}
	for _, kind := range explain.Kinds {
		a, ok := v.Account(kind)
		if p := v.Of(kind); ok && p >= 0.3 {
			fmt.Fprintf(&text, "  %s %.3f: %.4g then %.4g, at last %.4g, after %.4g bytes, slow %.1f of %.1f s, %d of %d "+
				"return, %s %.1f to %.1f, %.1f to %.1f\n", kind, p, a.Before, a.After, a.Last, a.Moved, a.SlowSeconds,
				a.Looked, a.Returns, len(a.Slow), a.Sensor, a.At, a.Cooled, a.Start, a.Highest)
			for _, figure := range []string{explain.OnFigure, explain.OffFigure} {
				if f, known := a.Figure(figure); known {
					fmt.Fprintf(&text, "    %s %.1f, %.1f to %.1f\n", f.Name, f.Value, f.Low, f.High)
				}
			}
		}
		if why, nats := v.Against(kind, explain.HeatThrottle); why != "" && kind != explain.HeatThrottle {
			fmt.Fprintf(&text, "  against %s: %.2f %s\n", kind, nats, why)
		}
	}
	if says, gain := v.Next(); gain > 0 {
		fmt.Fprintf(&text, "  next, for %.3f bits: %s\n", gain, says)
	}
	if len(v.Shares) > 1 {
		fmt.Fprintf(&text, "  beside %s, healthy %.3f\n", v.Rival().Explanation.Name, v.Healthy())
	}
	return text.String()
}

// What is said of fixed recordings, with every fact: whoever changes a model sees here
// what that does to all classes.
func TestWhatIsSaidOfFixedRecordings(t *testing.T) {
	night.Longer(t)
	var text strings.Builder
	for class, name := range outside.Names() {
		for _, storage := range []string{"", "drive"} {
			r := outside.Draw(class, 21)
			s := recording(t, r.Table, r.Writes)
			if storage == "" {
				storage = r.Storage
			}
			s.Conditions[explain.StorageCondition] = storage
			text.WriteString(toldOf(fmt.Sprintf("%s, of %q", name, storage), s))
		}
		// The same as the host's thermometer would see it.
		if class%3 == 0 {
			r := outside.Draw(class, 22)
			s := recording(t, strings.Replace(r.Table, "temperature_celsius", "temperature_celsius:host", 1), r.Writes)
			text.WriteString(toldOf(name+", by the host", s))
		}
	}
	witness.CheckKept(t, filepath.Join("testdata", "said.txt"), text.String())
}
