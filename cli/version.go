package cli

import (
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
	"time"
)

// release is the version that is being worked on, or that was released.
const release = "0.2-dev"

// build is where the program comes from, as far as the build recorded it.
type build struct {
	commit  string // short, or empty where the program was not built from a checkout
	date    time.Time
	changed bool // files were changed since the commit
}

var ownBuild = sync.OnceValue(func() build {
	var b build
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return b
	}
	for _, setting := range info.Settings {
		switch setting.Key {
		case "vcs.revision":
			b.commit = setting.Value[:min(len(setting.Value), 12)]
		case "vcs.time":
			b.date, _ = time.Parse(time.RFC3339, setting.Value)
		case "vcs.modified":
			b.changed = setting.Value == "true"
		}
	}
	return b
})

// Version returns the program's version for sessions and reports: the release, and the commit if
// it is known.
func Version() string {
	b := ownBuild()
	switch {
	case b.commit == "":
		return release
	case b.changed:
		return release + " (" + b.commit + ", changed)"
	default:
		return release + " (" + b.commit + ")"
	}
}

// versionLine returns the output of --version: version, commit, date and system.
func versionLine() string {
	b := ownBuild()
	text := "opengauge " + release
	if b.commit != "" {
		text += ", commit " + b.commit
	}
	if b.changed {
		text += " with changes"
	}
	if !b.date.IsZero() {
		text += ", " + b.date.Format(time.DateOnly)
	}
	return fmt.Sprintf("%s, %s/%s, %s\n", text, runtime.GOOS, runtime.GOARCH, runtime.Version())
}
