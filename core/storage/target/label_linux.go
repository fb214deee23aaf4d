package target

import (
	"time"

	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// label writes [label] to a device that this run wrote to, so that the next run knows that nobody misses it. A
// device that does not take it is asked about next time.
func (k *kernelFile) label() {
	if k.description.Kind != Device || !k.description.Writable || k.claimed == nil {
		return
	}
	if now, ok := counters(k.statistics); !ok || now.Written == k.writtenBefore {
		return
	}
	data := direct.Buffer(direct.Up(int(max(k.description.SmallestBlock, 4*unit.KiB))))
	copy(data, label)
	const within = time.Second // it may hang by now
	_ = Within(within, func() error {
		_, err := k.file.WriteAt(data, 0)
		return err
	})
}
