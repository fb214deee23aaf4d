package host

import (
	"crypto/sha256"
	"encoding/hex"
	"os"
	"strings"
)

// BenchName is what this machine is called among others: $OPENGAUGE_BENCH_NAME, or its own name.
func BenchName() string {
	if name := os.Getenv("OPENGAUGE_BENCH_NAME"); name != "" {
		return name
	}
	name, _ := os.Hostname() // one without a name is called nothing
	return name
}

// Machine tells this machine from others of its name, where the system says: by machine-id(5),
// of which only a digest is told, as that page asks for. It is empty where nothing does.
func Machine() string {
	id, err := os.ReadFile("/etc/machine-id")
	if err != nil || strings.TrimSpace(string(id)) == "" {
		return ""
	}
	sum := sha256.Sum256(append([]byte("opengauge "), id...))
	return hex.EncodeToString(sum[:8])
}
