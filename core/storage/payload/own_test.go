package payload

import (
	"bytes"
	"math/rand/v2"
	"testing"
)

// What was given out is known again, however it was cut and stamped; nothing else is.
func TestOwnDataIsKnownAgain(t *testing.T) {
	for _, share := range []float64{0, 0.3, 0.5, 0.98} {
		source := Compressible(share)
		for _, length := range []int{4096, 1 << 20} {
			data := bytes.Clone(source.Next(length))
			if !Own(data) {
				t.Errorf("%d bytes, of which %v compress away, are not known again", length, share)
			}
			for at := 0; at < length; at += 512 {
				copy(data[at:], "a stamp of thirty-two bytes here")
			}
			if !Own(data) {
				t.Errorf("%d stamped bytes, of which %v compress away, are not known again", length, share)
			}
			at := rand.IntN(length/4096) * 4096
			data[at+proofFrom] ^= 1 // in the part of each page that is not zero, where that reaches so far
			if Own(data) {
				t.Errorf("%d bytes, of which %v compress away, are known with a wrong bit at %d", length, share, at)
			}
		}
		odd := make([]byte, 1536)
		source.Fill(odd)
		if share == 0 && !Own(odd) {
			t.Error("a block of three sectors is not known again")
		}
	}
	strange := make([]byte, 4096)
	if Own(strange) {
		t.Error("zeros are taken for own data")
	}
	for i := range strange {
		strange[i] = byte(rand.Uint32())
	}
	if Own(strange) {
		t.Error("random data is taken for own data")
	}
	if Own(nil) || Own(make([]byte, 511)) {
		t.Error("nothing is taken for own data")
	}
}
