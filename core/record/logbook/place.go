package logbook

import (
	"cmp"
	"crypto/sha256"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"strings"
)

// DefaultPlace is where the logbook is when nobody says otherwise:
// $OPENGAUGE_LOGBOOK, or a file in the user's data folder.
func DefaultPlace() (string, error) {
	if place := os.Getenv("OPENGAUGE_LOGBOOK"); place != "" {
		return place, nil
	}
	home, err := os.UserHomeDir()
	if err != nil && os.Getenv("XDG_DATA_HOME") == "" {
		return "", fmt.Errorf("no place for the logbook: %w; name one with --logbook", err)
	}
	return dataFile(runtime.GOOS, home, os.Getenv, isFile), nil
}

// fileName is the name of a logbook's file.
const fileName = "logbook.db"

// dataFile returns the place for a user's data by the rules of a system: XDG_DATA_HOME (XDG Base Directory
// Specification 0.8) before the system's own. A logbook that an earlier version made elsewhere stays there.
func dataFile(system, home string, environment func(string) string, isFile func(string) bool) string {
	earlier := filepath.Join(home, ".local", "share")
	folder := earlier
	switch data, local := environment("XDG_DATA_HOME"), environment("LOCALAPPDATA"); {
	case data != "":
		return filepath.Join(data, "opengauge", fileName)
	case system == "windows" && local != "":
		folder = local
	case system == "darwin":
		folder = filepath.Join(home, "Library", "Application Support")
	}
	path, old := filepath.Join(folder, "opengauge", fileName), filepath.Join(earlier, "opengauge", fileName)
	if !isFile(path) && isFile(old) {
		return old
	}
	return path
}

func isFile(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.Mode().IsRegular()
}

// Shared says whether a place is an address of a database, and not a file.
func Shared(place string) bool { return strings.Contains(place, "://") }

// CheckPlace says whether a logbook can be at a place: in a file, or a database whose address
// holds no secret.
func CheckPlace(place string) error {
	if !Shared(place) {
		return nil
	}
	_, err := parseAddress(place)
	return err
}

// secret says that others can read an address on a command line.
const secret = "a password does not belong in an address, which others can read; put it in ~/.pgpass " +
	"(its rights 0600), or in $PGPASSWORD"

// parseAddress reads the address of a database. Its errors repeat nothing that may be secret.
func parseAddress(place string) (*url.URL, error) {
	scheme, _, _ := strings.Cut(place, "://")
	if scheme != "postgres" && scheme != "postgresql" {
		return nil, fmt.Errorf("there are no logbooks at addresses that begin with %s://; name a file, or "+
			"postgres://HOST/DATABASE", scheme)
	}
	address, err := url.Parse(place)
	if err != nil {
		return nil, fmt.Errorf("the address of the logbook cannot be read; write " +
			"postgres://[ACCOUNT@]HOST[:PORT]/DATABASE")
	}
	if _, given := address.User.Password(); given {
		return nil, fmt.Errorf("the address of the logbook holds a password: %s", secret)
	}
	for key := range address.Query() {
		if strings.Contains(strings.ToLower(key), "password") {
			return nil, fmt.Errorf("the address of the logbook holds a password: %s", secret)
		}
	}
	if strings.Trim(address.Path, "/") == "" {
		return nil, fmt.Errorf("the address of the logbook names no database; write postgres://HOST/DATABASE")
	}
	return address, nil
}

// waitsAt returns the path beside which the spools of a logbook are: its file, or for a database a name in
// this user's data folder.
func waitsAt(place string) string {
	if !Shared(place) {
		return place
	}
	address, err := parseAddress(place)
	if err != nil {
		return elsewhere(place)
	}
	short := shorten(address)
	name := strings.Map(inFileName, fmt.Sprintf("%s-%s-%s", short.User.Username(), cmp.Or(short.Host, "here"),
		strings.Trim(short.Path, "/"))) + fmt.Sprintf("-%x", sha256.Sum256([]byte(short.String())))[:9]
	home, _ := os.UserHomeDir() // where there is none, they are elsewhere
	file := dataFile(runtime.GOOS, home, os.Getenv, func(string) bool { return false })
	return filepath.Join(filepath.Dir(file), "waiting", name)
}

// inFileName is a letter that every system allows in names, in the place of one that some do
// not.
func inFileName(letter rune) rune {
	switch {
	case letter >= 'a' && letter <= 'z', letter >= 'A' && letter <= 'Z', letter >= '0' && letter <= '9', letter == '.':
		return letter
	}
	return '_'
}

// elsewhere is where spools are whose place beside the logbook is full, or cannot be written:
// in the folder for temporary files, under a name that is this user's and this logbook's.
func elsewhere(place string) string {
	if address, err := parseAddress(place); Shared(place) && err == nil {
		place = canonical(address)
	} else if absolute, err := filepath.Abs(place); err == nil {
		place = absolute
	}
	return filepath.Join(os.TempDir(), fmt.Sprintf("opengauge-%d-%x", os.Getuid(), sha256.Sum256([]byte(place))))
}
