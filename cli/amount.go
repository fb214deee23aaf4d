package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/unit"
)

// amountFlags are the amounts that a reader wants to move.
type amountFlags struct{ texts []string }

func (f *amountFlags) add(cmd *cobra.Command) {
	cmd.Flags().StringSliceVar(&f.texts, "amount", nil, "say how long this much takes, like 400GB; may be repeated")
}

// amounts reads the flag. Every error is one of usage.
func (f *amountFlags) amounts() ([]unit.Bytes, error) {
	var amounts []unit.Bytes
	for _, text := range f.texts {
		amount, err := unit.ParseBytes(text)
		if err == nil && (amount <= 0 || !strings.HasSuffix(text, "B")) {
			err = fmt.Errorf("%q is no amount with its unit; write one like 400GB", text)
		}
		if err != nil {
			return nil, usageError{fmt.Errorf("--amount: %w", err)}
		}
		amounts = append(amounts, amount)
	}
	return amounts, nil
}
