package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/plan"
	"opengauge/core/record/session"
)

// planNames lists the built-in plans for a help text.
func planNames() string {
	plans, err := plan.BuiltIn()
	if err != nil {
		return ""
	}
	names := make([]string, len(plans))
	for i, known := range plans {
		names[i] = known.Name
	}
	return strings.Join(names, ", ")
}

func completePlans(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return strings.Split(planNames(), ", "), cobra.ShellCompDirectiveDefault
}

func completeSeverities(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	names := make([]string, len(session.Severities))
	for i, severity := range session.Severities {
		names[i] = string(severity)
	}
	return names, cobra.ShellCompDirectiveNoFileComp
}
