package explain_test

import (
	"fmt"
	"opengauge/core/judge/outside"
	"os"
	"strconv"
	"strings"
	"testing"
)

func TestLook(t *testing.T) {
	c := os.Getenv("CLASS")
	n, _ := strconv.Atoi(os.Getenv("N"))
	if c == "" {
		t.Skip()
	}
	for i, name := range outside.Names() {
		if strings.Contains(name, c) {
			r := outside.Draw(i, uint64(1000+n))
			fmt.Println(name, r.Truth, r.Storage, r.Writes)
			os.WriteFile("/tmp/look.csv", []byte(r.Table), 0644)
			return
		}
	}
}
