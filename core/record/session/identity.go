package session

import (
	"crypto/rand"
	"fmt"
	"strings"
	"unicode"
)

// idAlphabet has no letters that are mistaken for digits or for each other
// (Crockford's base 32, in lower case).
const idAlphabet = "0123456789abcdefghjkmnpqrstvwxyz"

// idLength gives 50 bits: among a million sessions the chance of any two alike
// is below one in two thousand, and the logbook refuses the second.
const idLength = 10

// NewID draws an id. Its first letter is never a digit, so that ids and numbers
// are not mistaken for each other.
func NewID() string {
	var raw [idLength]byte
	_, _ = rand.Read(raw[:]) // never fails, by its documentation
	id := make([]byte, idLength)
	for i, b := range raw {
		id[i] = idAlphabet[int(b)%len(idAlphabet)]
	}
	id[0] = idAlphabet[10+int(raw[0])%22]
	return string(id)
}

// Latest is the word that stands for the newest session.
const Latest = "latest"

// maxNameLength keeps names readable in tables.
const maxNameLength = 80

// CheckName says whether a session may be called that.
func CheckName(name string) error {
	if name == Latest {
		return fmt.Errorf("a session cannot be named %q: that word stands for the newest one", Latest)
	}
	if len(name) > maxNameLength {
		return fmt.Errorf("the name is %d bytes long; at most %d are allowed", len(name), maxNameLength)
	}
	if name != strings.TrimSpace(name) {
		return fmt.Errorf("the name %q begins or ends with a space", name)
	}
	return CheckPrintable("name", name)
}

// CheckPrintable refuses a text that acts on whoever shows it.
func CheckPrintable(what, text string) error {
	for _, r := range text {
		if !unicode.IsPrint(r) {
			return fmt.Errorf("the %s %q holds a character that cannot be printed", what, text)
		}
	}
	return nil
}

// ParseConditions reads "key=value" texts. A key is given once.
func ParseConditions(texts []string) (map[string]string, error) {
	conditions := make(map[string]string, len(texts))
	for _, text := range texts {
		key, value, found := strings.Cut(text, "=")
		if !found || !isKey(key) || strings.TrimSpace(value) == "" {
			return nil, fmt.Errorf("%q is not a condition; write key=value, like fan=on", text)
		}
		if err := CheckPrintable("condition", text); err != nil {
			return nil, err
		}
		if _, given := conditions[key]; given {
			return nil, fmt.Errorf("the condition %q is given twice", key)
		}
		conditions[key] = value
	}
	return conditions, nil
}

// isKey says whether a condition may be called that: small letters, digits
// and hyphens, beginning with a letter.
func isKey(key string) bool {
	for i, r := range key {
		letter := r >= 'a' && r <= 'z'
		if !letter && (i == 0 || r != '-' && (r < '0' || r > '9')) {
			return false
		}
	}
	return key != ""
}

// maxTagLength keeps tags readable in lists.
const maxTagLength = 40

// CheckTag says whether a session may be tagged so.
func CheckTag(tag string) error {
	if tag == "" || len(tag) > maxTagLength || strings.ContainsAny(tag, ", ") {
		return fmt.Errorf("%q is no tag; use a word without spaces and commas, of at most %d bytes", tag, maxTagLength)
	}
	return CheckPrintable("tag", tag)
}
