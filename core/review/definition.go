package review

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"strings"
)

// Definition returns digests of the comparison, the measurements and the decision, with hyphens between. A
// session remembers the definition of its review, so that a review that was changed half-way is noticed.
//
// The digests are of a canonical form, so that a review which was begun with one program goes on with a later
// one, whose structures have more fields.
func (r *Review) Definition() string { return r.definition }

func (r *Review) define() string {
	cells := struct {
		Factors    []Factor
		Candidates []Candidate
		With       []Level
	}{r.Factors, r.Candidates, r.With}
	return strings.Join([]string{digest(cells), digest(r.Measure), digest(r.Decide)}, "-")
}

// firstKeys are the keys of the first version of the canonical form that it has whatever their values. Any
// other key is there only where its value is not zero. A field that is added later stays out of this list:
// reviews that do not use it keep their digests.
var firstKeys = strings.Fields(`Amount Candidates Capacity Carries Choose Copies Copy Factors Figure Given Hold In Key
	Larger Levels Load Matters Must Name NoDropout Of OneWay Operation Other Out Over Plan PriceMost Priced Says Size
	Streams Sure Text Times Unit Warmest With Worst access at_once block_bytes compressible_share depth factor for_seconds
	level level_shares name operation reads steps times with workers write_share`)

// digest is short: it tells changes apart, and keeps nobody from making two alike.
func digest(of any) string {
	text, err := json.Marshal(of)
	if err != nil { // none of what a review holds can fail to be written
		panic(err)
	}
	sum := sha256.Sum256(canonical(text))
	const bytes = 4
	return hex.EncodeToString(sum[:bytes])
}

// canonical returns a JSON text in the canonical form: in the order of its fields, without those that are zero
// and no [firstKeys].
func canonical(text []byte) []byte {
	in := json.NewDecoder(bytes.NewReader(text))
	first, err := in.Token()
	delimiter, ok := first.(json.Delim)
	if err != nil || !ok {
		return text
	}
	var parts [][]byte
	for in.More() {
		key := []byte(nil)
		if delimiter == '{' {
			name, _ := in.Token() // which was just marshalled
			key, _ = json.Marshal(name)
		}
		var value json.RawMessage
		_ = in.Decode(&value)
		value = canonical(value)
		if key != nil && isZero(value) && !slices.Contains(firstKeys, strings.Trim(string(key), `"`)) {
			continue
		}
		if key != nil {
			value = slices.Concat(key, []byte(":"), value)
		}
		parts = append(parts, value)
	}
	closing := "]"
	if delimiter == '{' {
		closing = "}"
	}
	return slices.Concat([]byte(delimiter.String()), bytes.Join(parts, []byte(",")), []byte(closing))
}

// isZero reports whether a JSON text is of a zero value.
func isZero(text []byte) bool {
	return slices.Contains([]string{"null", "false", "0", `""`, "[]", "{}"}, string(text))
}

// Changed lists the parts of a review that were changed since a session was measured for it: "cells",
// "measure", "decide".
func Changed(before, now string) []string {
	if before == "" || before == now {
		return nil
	}
	names := []string{"cells", "measure", "decide"}
	old := strings.Split(before, "-")
	current := strings.Split(now, "-")
	if len(old) != len(names) || len(current) != len(names) {
		return names
	}
	var changed []string
	for i, name := range names {
		if old[i] != current[i] {
			changed = append(changed, name)
		}
	}
	return changed
}
