package compare_test

import (
	"path/filepath"
	"reflect"
	"testing"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/factor"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/lab/recorded"
)

// What a logbook digests of sessions is all that effects read of them.
func TestDigestsSayAllThatEffectsRead(t *testing.T) {
	book, err := logbook.Create(t.Context(), filepath.Join(t.TempDir(), "logbook.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	all := recorded.All(t)
	if _, err := book.Import(func(yield func(*session.Session, error) bool) {
		for _, s := range all {
			if !yield(s, nil) {
				return
			}
		}
	}); err != nil {
		t.Fatal(err)
	}
	ids := make([]string, len(all))
	sets := make([]factor.Set, len(all))
	for i, s := range all {
		ids[i], sets[i] = s.ID, factor.Of(s)
	}
	found := 0
	for _, key := range append(factor.Keys(sets...), factor.Fill) {
		want, wantErr := compare.EffectOf(key, "", all)
		got, err := compare.EffectOver(key, "", book.Digests(ids))
		if (err == nil) != (wantErr == nil) || err != nil && err.Error() != wantErr.Error() {
			t.Errorf("%s: the error is %v, and of whole sessions %v", key, err, wantErr)
		}
		if !reflect.DeepEqual(got.Loads, want.Loads) || !reflect.DeepEqual(got.Alone, want.Alone) ||
			!reflect.DeepEqual(got.Values, want.Values) {
			t.Errorf("%s: the effect is\n%+v\nand of whole sessions\n%+v", key, got, want)
		}
		found += len(want.Loads)
	}
	if found < 10 {
		t.Errorf("only %d effects were compared", found)
	}
}
