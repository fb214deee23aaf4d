package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/bench/link"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

func newLink(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "link [CHAIN]",
		Short: "Say what link standards carry, and which hop of a chain binds",
		Long: `Link computes what links carry: the signalling rate of all lanes (line), what
remains after line coding (payload), and what protocol overhead leaves for data
(usable, a range). Without a chain it lists the standards that it knows.

CHAIN is the hops from the host to the storage, with > between them. A hop may be
named. Case and spaces do not matter.`,
		Example: `  opengauge link
  opengauge link "usb 3.2 gen 2"
  opengauge link "pcie 4.0 x4 > usb4 40G > pcie 3.0 x4"
  opengauge link "deck port: usb 3.2 gen 2 > limpet: pcie 3.0 x4" --units bits`,
		Args: cobra.MaximumNArgs(1),
		ValidArgsFunction: func(_ *cobra.Command, _ []string, begun string) ([]string, cobra.ShellCompDirective) {
			return completeChain(begun), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(_ *cobra.Command, arguments []string) error {
			notation, err := env.notation()
			if err != nil {
				return err
			}
			if len(arguments) == 0 {
				return env.listStandards(notation)
			}
			return env.showChain(arguments[0], notation)
		},
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the result as JSON")
	return cmd
}

// standardsList is the document of link --json without a chain.
type standardsList struct {
	Format    string           `json:"format"`
	Standards []standardRecord `json:"standards"`
}

type standardRecord struct {
	link.State
	Family string `json:"family"`
	About  string `json:"about"`
}

// chainRecord is the document of link CHAIN --json.
type chainRecord struct {
	Format string `json:"format"`
	link.Chain
}

func (e *environment) listStandards(notation unit.Notation) error {
	if e.json {
		list := standardsList{Format: "opengauge.standards/1"}
		for _, s := range link.Standards() {
			list.Standards = append(list.Standards, standardRecord{State: s.State(), Family: s.Family, About: s.About})
		}
		return e.writeJSON(list)
	}
	screen := e.screen()
	var family []link.Standard
	standards := link.Standards()
	for i, s := range standards {
		family = append(family, s)
		if i+1 < len(standards) && standards[i+1].Family == s.Family {
			continue
		}
		screen.Heading(s.Family)
		screen.Table(table.Standards(family, notation))
		screen.Println("")
		family = nil
	}
	screen.Paragraph("", "line: the signalling rate. payload: after line coding. usable: what protocol overhead "+
		"leaves for data, one way.")
	return nil
}

func (e *environment) showChain(text string, notation unit.Notation) error {
	chain, err := link.ParseChain(text)
	if err != nil {
		return usageError{err}
	}
	if e.json {
		return e.writeJSON(chainRecord{Format: "opengauge.chain/1", Chain: chain})
	}
	screen := e.screen()
	screen.ChainStrip(figure.NewChainStrip(chain, notation))
	screen.Println("")
	screen.Table(figure.NewChainStrip(chain, notation).Table())
	screen.Println("")
	screen.Paragraph("", bindingSentence(chain, notation))
	return nil
}

// bindingSentence says which hop limits a chain, or which cannot be told apart.
func bindingSentence(chain link.Chain, notation unit.Notation) string {
	binding, ok := chain.Binding()
	if !ok {
		return "No hop of the chain is known to have a ceiling."
	}
	through, _ := chain.Usable()
	usable := notation.Between(through.Low, through.High) + " " + notation.Unit()
	rivals := chain.Rivals()
	if len(rivals) == 0 {
		return "The narrowest hop is " + binding.Name + " (" + binding.Standard + "): through this chain expect " +
			usable + " at the most."
	}
	names := []string{binding.Name + " (" + binding.Standard + ")"}
	for _, rival := range rivals {
		names = append(names, rival.Name+" ("+rival.Standard+")")
	}
	return strings.Join(names, " and ") + " are nearly as narrow as each other: through this chain expect " + usable +
		" at the most, and any of them may bind."
}

// completeChain completes the last hop of a chain.
func completeChain(begun string) []string {
	before, last := "", begun
	if at := strings.LastIndexAny(begun, ">:"); at >= 0 {
		before, last = begun[:at+1]+" ", strings.TrimLeft(begun[at+1:], " ")
	}
	var offers []string
	for _, s := range link.Standards() {
		if strings.HasPrefix(s.Name, strings.ToLower(last)) {
			offers = append(offers, before+s.Name)
		}
	}
	return offers
}
