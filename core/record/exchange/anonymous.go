package exchange

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Anonymous replaces identifying details in sessions: serial numbers, names of hosts and users,
// and paths. Equal originals get equal replacements over all sessions that go through it, and
// different originals different ones.
type Anonymous struct {
	aliases map[string]string
	counts  map[string]int
}

// NewAnonymous starts with nothing replaced.
func NewAnonymous() *Anonymous {
	return &Anonymous{aliases: map[string]string{}, counts: map[string]int{}}
}

// Kinds of replacements.
const (
	aliasSerial = "serial"
	aliasHost   = "host"
	aliasUser   = "user"
	aliasPath   = "path"
)

// Summary counts the replaced details of each kind: "2 serial
// numbers, 1 host name", or says that there were none.
func (a *Anonymous) Summary() string {
	var texts []string
	for _, kind := range []struct{ kind, name string }{{aliasSerial, "serial number"}, {aliasHost, "host name"},
		{aliasUser, "user name"}, {aliasPath, "path"}} {
		if count := a.counts[kind.kind]; count > 0 {
			texts = append(texts, unit.Count(count, kind.name))
		}
	}
	if len(texts) == 0 {
		return "nothing: there were no serial numbers, host names, user names or paths"
	}
	return strings.Join(texts, ", ")
}

// Session gives a copy of a session without them.
func (a *Anonymous) Session(s *session.Session) (*session.Session, error) {
	for _, part := range s.Parts {
		a.note(aliasSerial, part.Serial)
		if part.Kind == book.Host {
			a.note(aliasHost, part.Name)
		}
	}
	a.note(aliasHost, s.Environment.Host)
	a.note(aliasHost, s.Conditions["host"])
	a.note(aliasSerial, s.Conditions["serial"])
	a.note(aliasUser, s.Conditions["user"])
	for i := range s.Notes {
		a.note(aliasUser, s.Notes[i].By)
	}
	if by := s.RecordedBy; by != nil {
		a.note(aliasHost, by.Bench)
		a.note(aliasUser, by.Account)
	}
	document, err := json.Marshal(withoutPhotos(s))
	if err != nil {
		return nil, err
	}
	var tree any
	if err := json.Unmarshal(document, &tree); err != nil {
		return nil, err
	}
	// Names first: paths give away the names of users, which then go everywhere.
	eachText(tree, func(text string) { a.noteIn(text) })
	if document, err = json.Marshal(replaceTexts(tree, a.clean())); err != nil {
		return nil, err
	}
	hidden := &session.Session{}
	return hidden, json.Unmarshal(document, hidden)
}

// withoutPhotos returns a session without the photos of its notes: they may show anything, and
// many say where they were taken.
func withoutPhotos(s *session.Session) *session.Session {
	bare := *s
	bare.Notes = slices.Clone(s.Notes)
	for i := range bare.Notes {
		bare.Notes[i].Photo = nil
	}
	return &bare
}

// note remembers something to be replaced.
func (a *Anonymous) note(kind, text string) {
	text = strings.TrimSpace(text)
	if _, ok := a.aliases[text]; ok || text == "" || strings.HasPrefix(text, kind+"-") {
		return
	}
	a.counts[kind]++
	a.aliases[text] = fmt.Sprintf("%s-%d", kind, a.counts[kind])
}

var (
	// paths are absolute ones of two elements or more, on any system, and shares.
	paths = regexp.MustCompile(`(?:[A-Za-z]:\\|\\\\)[^\s"'<>|;,]+|(?:/[^\s/"'<>|;:,]+){2,}/?`)
	// homes hold the name of a user.
	homes = regexp.MustCompile(`(?:/home/|/Users/|/run/media/|/media/|[A-Za-z]:\\Users\\)([^\s/\\"'<>|;:,]+)`)
	// serials matches serial numbers by the names that udev makes, and by the words before them.
	serials = regexp.MustCompile(`(?i)\bserial(?:[ _-]?number)?[ :=]+([A-Za-z0-9_-]{4,})`)
	// macs and addresses tell a host.
	macs = regexp.MustCompile(`\b(?:[0-9a-fA-F]{2}:){5}[0-9a-fA-F]{2}\b`)
)

// systemPaths are the same on every machine; links to devices by their serial are
// not.
func systemPath(path string) bool {
	if strings.HasPrefix(path, "/dev/disk/") {
		return false
	}
	return slices.ContainsFunc([]string{"/dev/", "/sys/", "/proc/"},
		func(prefix string) bool { return strings.HasPrefix(path, prefix) })
}

func (a *Anonymous) noteIn(text string) {
	for _, found := range homes.FindAllStringSubmatch(text, -1) {
		if strings.Contains(found[0], "media/") && !strings.Contains(text, found[0]+"/") {
			continue // a medium that is mounted there without a user's folder
		}
		a.note(aliasUser, found[1])
	}
	for _, found := range serials.FindAllStringSubmatch(text, -1) {
		a.note(aliasSerial, found[1])
	}
	for _, found := range macs.FindAllString(text, -1) {
		a.note(aliasHost, found)
	}
	for _, at := range paths.FindAllStringIndex(text, -1) {
		if at[0] > 0 && (isWord(text[at[0]-1]) || strings.IndexByte(".-_", text[at[0]-1]) >= 0) {
			continue // names with strokes between them, as those of a review's cells
		}
		if path := strings.TrimRight(text[at[0]:at[1]], "/."); !systemPath(path) {
			a.note(aliasPath, path)
		}
	}
}

// clean returns a function that replaces every detail noted so far: longest first, so that a path
// goes before the name in it, and names only where they stand by themselves.
func (a *Anonymous) clean() func(string) string {
	noted := make([]string, 0, len(a.aliases))
	for text := range a.aliases {
		noted = append(noted, text)
	}
	slices.SortFunc(noted, func(x, y string) int {
		if len(x) != len(y) {
			return len(y) - len(x)
		}
		return strings.Compare(x, y)
	})
	return func(text string) string {
		for _, each := range noted {
			text = replaceWord(text, each, a.aliases[each])
		}
		return text
	}
}

// replaceWord replaces a text where it is no part of a longer word.
func replaceWord(text, word, by string) string {
	var out strings.Builder
	for {
		at := strings.Index(text, word)
		if at < 0 {
			out.WriteString(text)
			return out.String()
		}
		end := at + len(word)
		alone := (at == 0 || !isWord(text[at-1]) || !isWord(word[0])) && (end == len(text) || !isWord(text[end]) ||
			!isWord(word[len(word)-1]))
		out.WriteString(text[:at])
		if alone {
			out.WriteString(by)
		} else {
			out.WriteString(word)
		}
		text = text[end:]
	}
}

func isWord(b byte) bool {
	return b >= '0' && b <= '9' || b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || b >= 0x80
}

// eachText shows every text of a JSON document, keys too.
func eachText(tree any, show func(string)) {
	switch value := tree.(type) {
	case string:
		show(value)
	case []any:
		for _, each := range value {
			eachText(each, show)
		}
	case map[string]any:
		for key, each := range value {
			show(key)
			eachText(each, show)
		}
	}
}

// replaced gives a JSON document with every text and key changed, but for the keys
// and words that the form of a session itself uses.
func replaceTexts(tree any, change func(string) string) any {
	switch value := tree.(type) {
	case string:
		return change(value)
	case []any:
		for i, each := range value {
			value[i] = replaceTexts(each, change)
		}
		return value
	case map[string]any:
		made := make(map[string]any, len(value))
		for key, each := range value {
			switch key {
			case "format", "id", "state", "kind", "operation", "access", "step", "severity", "queue", "started",
				"ended":
				made[key] = each
			default:
				made[change(key)] = replaceTexts(each, change)
			}
		}
		return made
	}
	return tree
}

// Text gives a text with all that was noted so far replaced.
func (a *Anonymous) Text(text string) string { return a.clean()(text) }

// Sessions gives copies of sessions without them, all replaced alike.
func (a *Anonymous) Sessions(sessions []*session.Session) ([]*session.Session, error) {
	var hidden []*session.Session
	for range 2 { // what the last one tells has to go from the first too
		hidden = nil
		for _, s := range sessions {
			made, err := a.Session(s)
			if err != nil {
				return nil, err
			}
			hidden = append(hidden, made)
		}
	}
	return hidden, nil
}
