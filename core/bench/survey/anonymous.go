package survey

import (
	"crypto/sha256"
	"encoding/hex"
	"path"
	"slices"
	"strings"
)

// serialFiles are the names of files that hold serial numbers or the like.
var serialFiles = []string{"serial", "wwid", "cid", "vpd_pg80", "vpd_pg83", "unique_id", "eui", "nguid", "uuid"}

// maskedLength keeps masked serials apart without giving anything back.
const maskedLength = 8

// masked stands for a serial number: the same for the same one, and of no use to
// find it out.
func masked(serial string) string {
	if serial == "" {
		return ""
	}
	sum := sha256.Sum256([]byte("opengauge serial " + serial))
	return "masked-" + hex.EncodeToString(sum[:])[:maskedLength]
}

func maskFile(name string, content []byte) []byte {
	if slices.Contains(serialFiles, path.Base(name)) {
		return []byte(masked(strings.TrimSpace(string(content))) + "\n")
	}
	return content
}

// Anonymous masks the serial numbers of devices. They stay distinguishable.
func Anonymous(devices []Device) []Device {
	hidden := slices.Clone(devices)
	for i := range hidden {
		hidden[i].Serial = masked(hidden[i].Serial)
	}
	return hidden
}
