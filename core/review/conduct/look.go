package conduct

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/bench/survey"
	"opengauge/core/review"
	"opengauge/core/storage/address"
)

// Sight is the survey's view of a cell.
type Sight struct {
	// Where is the folder or device at which the storage is reached, or empty.
	Where string
	// Seen lists matches, and Wrong differences, in words.
	Seen, Wrong []string
	// Unseen lists things that nobody but hands can say.
	Unseen []string
}

// Right reports whether everything that is seen fits, and the storage is there.
func (s *Sight) Right() bool { return s.Where != "" && len(s.Wrong) == 0 }

// look holds a machine's devices against a cell: the drive by its serial, the bridge by its name, the link by
// its negotiated state. at is where the storage is reached, or empty where it is looked for by its serial.
func look(m *survey.Machine, c *review.Cell, at string, b book.Book) Sight {
	s := Sight{}
	device, ok := s.find(m, c, at)
	for _, part := range c.Setup.Parts {
		switch {
		case part.Kind == book.Volume && at != "":
			s.Where = at
			s.Unseen = append(s.Unseen, "the volume "+part.Name)
		case part.Kind == book.Host || part.Kind == book.Cable || !ok:
			s.Unseen = append(s.Unseen, fmt.Sprintf("the %s %s", part.Kind, nameIn(c, part)))
		case part.Kind == book.Drive:
			s.drive(part, identities(m, device), b)
		case part.Kind == book.Enclosure:
			s.enclosure(part, device, b)
		}
	}
	for _, l := range c.All {
		if !review.IsPart(l.Factor) {
			s.condition(l, device, ok)
		}
	}
	if ok {
		s.links(c, device)
	}
	return s
}

// nameIn is a part with its port.
func nameIn(c *review.Cell, part book.Part) string { return c.Of(string(part.Kind)) }

// find gives the device of a cell's storage.
func (s *Sight) find(m *survey.Machine, c *review.Cell, at string) (survey.Device, bool) {
	serial := ""
	for _, part := range c.Setup.Parts {
		if part.Kind == book.Drive {
			serial = part.Serial
		}
	}
	if address.IsVolume(at) {
		s.Where = at
		return survey.Device{}, false
	}
	if at != "" {
		device, _, ok := m.DeviceOf(at)
		switch info, err := os.Stat(at); {
		case err != nil || !info.IsDir():
			s.Wrong = append(s.Wrong, fmt.Sprintf("there is no folder %s", at))
		case ok || serial == "" || !survey.LinksAreRead: // where nothing is seen it is asked
			s.Where = at
		default:
			s.Wrong = append(s.Wrong, fmt.Sprintf("no device is seen at %s, so that nobody knows whether it is the "+
				"one with the "+
				"serial %s", at, serial))
		}
		return device, ok
	}
	if serial == "" {
		s.Wrong = append(s.Wrong, fmt.Sprintf("the bench book says no serial of %s, by which it could be found; "+
			"name its folder "+
			"with --target", c.Storage()))
		return survey.Device{}, false
	}
	var found []survey.Device
	for _, d := range m.Devices() {
		if slices.Contains(identities(m, d), serial) {
			found = append(found, d)
		}
	}
	switch {
	case len(found) == 0:
		s.Wrong = append(s.Wrong, fmt.Sprintf("%s (serial %s) is not there", c.Storage(), serial))
		return survey.Device{}, false
	case len(found) > 1:
		s.Wrong = append(s.Wrong, fmt.Sprintf("%s and %s both say the serial %s: nobody can tell which is %s; unplug one",
			found[0].Path, found[1].Path, serial, c.Storage()))
		return survey.Device{}, false
	}
	if s.Where = mountOf(found[0]); s.Where == "" {
		s.Wrong = append(s.Wrong, fmt.Sprintf("%s is there as %s, and not mounted; mount it, so that files can be made on it",
			c.Storage(), found[0].Path))
	}
	return found[0], true
}

// mountOf is where a device, or the first of its partitions that is, is mounted.
func mountOf(d survey.Device) string {
	mounts := slices.Clone(d.Mounts)
	for _, p := range d.Partitions {
		mounts = append(mounts, p.Mounts...)
	}
	if len(mounts) == 0 {
		return ""
	}
	return mounts[0].At
}

// identities are the names by which a device is told from others: its serial, and the file
// that a loop device is made of.
func identities(m *survey.Machine, d survey.Device) []string {
	var names []string
	if d.Serial != "" {
		names = append(names, d.Serial)
	}
	if file := m.BackingFile(d); file != "" {
		names = append(names, filepath.Base(file))
	}
	return names
}

func (s *Sight) drive(part book.Part, names []string, b book.Book) {
	switch {
	case part.Serial == "" || len(names) == 0:
		s.Unseen = append(s.Unseen, "the drive "+part.Name)
	case slices.Contains(names, part.Serial):
		s.Seen = append(s.Seen, fmt.Sprintf("%s, by its serial %s", part.Name, part.Serial))
	default:
		s.Wrong = append(s.Wrong, fmt.Sprintf("%s is there, and %s (serial %s) is asked for", whose(names, b), part.Name,
			part.Serial))
	}
}

// whose says which part of the bench book a serial is of.
func whose(names []string, b book.Book) string {
	for _, part := range b.Parts {
		if part.Serial != "" && slices.Contains(names, part.Serial) {
			return fmt.Sprintf("%s (serial %s)", part.Name, part.Serial)
		}
	}
	return "a drive with the serial " + names[0]
}

// enclosure looks for the name of a case, or of its bridge, among the hops.
func (s *Sight) enclosure(part book.Part, d survey.Device, b book.Book) {
	if hop := hopOf(part, d); hop != "" {
		s.Seen = append(s.Seen, fmt.Sprintf("%s, by its bridge, which says %q", part.Name, hop))
		return
	}
	for _, other := range b.Parts {
		if other.Kind != book.Enclosure || other.Name == part.Name {
			continue
		}
		if hop := hopOf(other, d); hop != "" {
			s.Wrong = append(s.Wrong, fmt.Sprintf("the bridge says %q, which is %s, and %s is asked for", hop, other.Name,
				part.Name))
			return
		}
	}
	s.Unseen = append(s.Unseen, "the enclosure "+part.Name)
}

func hopOf(part book.Part, d survey.Device) string {
	for _, hop := range d.Hops {
		name := strings.ToLower(hop.Name)
		for _, own := range []string{part.Name, part.Bridge} {
			if own != "" && strings.Contains(name, strings.ToLower(own)) {
				return hop.Name
			}
		}
	}
	return ""
}

// condition looks at the device's own words; everything else is asked.
func (s *Sight) condition(l review.Level, d survey.Device, there bool) {
	if l.Factor != "firmware" || !there || d.Firmware == "" {
		s.Unseen = append(s.Unseen, l.Factor+" "+l.Name)
		return
	}
	if d.Firmware != l.Name {
		s.Wrong = append(s.Wrong, fmt.Sprintf("the drive says firmware %s, and %s is asked for", d.Firmware, l.Name))
		return
	}
	s.Seen = append(s.Seen, "firmware "+d.Firmware)
}

// linkAt stands between a hop and its negotiated state.
const linkAt = " at "

// links says where a link was negotiated to less than the bench book says of all its parts.
func (s *Sight) links(c *review.Cell, d survey.Device) {
	if len(d.Hops) == 0 {
		return
	}
	merged := c.Setup.Merge(d.Chain)
	for _, contradiction := range merged.Contradictions {
		if !strings.HasSuffix(contradiction, "which is more") {
			s.Wrong = append(s.Wrong, "a link trained otherwise: "+contradiction+"; unplug it and plug it in again, or try "+
				"another cable")
		}
	}
	for _, hop := range d.Hops {
		if hop.Known() {
			s.Seen = append(s.Seen, hop.Name+linkAt+hop.Standard)
		}
	}
}

// otherwise says where a link runs otherwise than at the cell's first visit.
func (s *Sight) otherwise(first []string) {
	for _, now := range s.Seen {
		hop, standard, isLink := strings.Cut(now, linkAt)
		for _, then := range first {
			before, was, wasLink := strings.Cut(then, linkAt)
			if isLink && wasLink && hop == before && standard != was {
				s.Wrong = append(s.Wrong, fmt.Sprintf("a link trained otherwise: %s runs at %s, and at the first visit at %s; "+
					"unplug it and plug it in again", hop, standard, was))
			}
		}
	}
}
