package cli

import (
	"errors"
	"io"

	"github.com/spf13/cobra"

	"opengauge/core/bench/survey"
	"opengauge/core/storage/address"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// surveyFlags are what survey is told.
type surveyFlags struct {
	sysroot, capture string
	anonymous, all   bool
}

func newSurvey(env *environment) *cobra.Command {
	flags := &surveyFlags{}
	cmd := &cobra.Command{
		Use:   "survey [DEVICE]",
		Short: "Say what is attached, over which links, how warm, how fast it could be",
		Long: `Survey lists the block devices of this machine, and for each the hops from the
root of the machine to it: what was negotiated, and what both ends could do. It
reads what the kernel tells and asks NVMe drives for their health; it writes
nothing. What the system does not say is left unknown, and what it refuses to say
to this user is named, with how to be told.

With --capture it packs just what it read, and --sysroot looks at such a capture,
of Linux, Windows or macOS alike, at a folder with the sys and proc of another
machine, or at an I/O registry of macOS as a property list.`,
		Example: `  opengauge survey
  opengauge survey nvme0n1
  opengauge survey --capture bench.tar.gz --anonymous
  opengauge survey --sysroot bench.tar.gz --json`,
		Args: cobra.MaximumNArgs(1),
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			var names []string
			for _, d := range survey.Here().Devices() {
				names = append(names, d.Name)
			}
			return names, cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(_ *cobra.Command, arguments []string) error { return env.survey(arguments, flags) },
	}
	cmd.Flags().StringVar(&flags.sysroot, "sysroot", "", "look at the machine that this capture is of, or whose sys "+
		"and proc are in this folder")
	cmd.Flags().StringVar(&flags.capture, "capture", "", "pack what was read into this file, FILE.tar.gz")
	cmd.Flags().BoolVar(&flags.anonymous, "anonymous", false, "mask serial numbers; they stay distinguishable")
	cmd.Flags().BoolVar(&flags.all, "all", false, "list memory and unused loop devices too")
	cmd.Flags().BoolVar(&env.json, "json", false, "print the devices as JSON")
	return cmd
}

// surveyRecord is what survey --json prints.
type surveyRecord struct {
	Format string `json:"format"`
	System string `json:"system"`
	// LinksRead says whether this system's links are read at all.
	LinksRead bool `json:"links_read"`
	// Known says how it is known that what is read of this system is right.
	Known   string          `json:"known"`
	Devices []survey.Device `json:"devices"`
	// Untold is what was not told for want of rights, with how to get them.
	Untold []string `json:"untold"`
}

func (e *environment) survey(arguments []string, flags *surveyFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	if len(arguments) > 0 && address.IsVolume(arguments[0]) {
		return usageError{errors.New("a survey looks at what is attached to this machine; the parts of " +
			arguments[0] + " are written down in the bench book, as a volume, and opengauge measure " + arguments[0] +
			" says what it gives")}
	}
	machine := survey.Here()
	if flags.sysroot != "" {
		if machine, err = survey.Under(flags.sysroot); err != nil {
			return usageError{err}
		}
	}
	var devices []survey.Device
	if flags.capture != "" {
		err = e.writeFile(flags.capture, func(w io.Writer) (err error) {
			devices, err = machine.Capture(w, flags.anonymous)
			return err
		})
		if err != nil {
			return err
		}
	} else {
		devices = machine.Devices()
	}
	if flags.anonymous {
		devices = survey.Anonymous(devices)
	}
	if devices, err = chosenDevices(devices, arguments, flags.all); err != nil {
		return err
	}
	record := surveyRecord{Format: "opengauge.survey/1", System: machine.System(),
		LinksRead: survey.LinksAreRead || flags.sysroot != "", Known: survey.Known(machine.System()), Devices: devices,
		Untold: machine.Untold()}
	if e.json {
		return e.writeJSON(record)
	}
	e.showDevices(record, len(arguments) > 0, notation)
	if flags.capture != "" {
		e.screen().Println("")
		e.wrote(flags.capture)
	}
	return nil
}

// chosenDevices leaves out what nobody measures, unless it is named or all are
// asked for.
func chosenDevices(devices []survey.Device, named []string, all bool) ([]survey.Device, error) {
	chosen := []survey.Device{}
	for _, d := range devices {
		if len(named) > 0 && (d.Name == named[0] || d.Path == named[0]) {
			return []survey.Device{d}, nil
		}
		if all || d.Kind != survey.Memory {
			chosen = append(chosen, d)
		}
	}
	if len(named) > 0 {
		return nil, errors.New("there is no block device " + named[0] + " with a size; opengauge survey --all " +
			"lists them")
	}
	return chosen, nil
}

func (e *environment) showDevices(record surveyRecord, strips bool, notation unit.Notation) {
	screen, devices := e.screen(), record.Devices
	if len(devices) == 0 {
		screen.Println("No block device was found.")
	}
	for i, d := range devices {
		if i > 0 {
			screen.Println("")
		}
		screen.Heading(table.DeviceTitle(d))
		screen.Table(table.DeviceFacts(d))
		if len(d.Hops) == 0 {
			continue
		}
		screen.Println("")
		if strips {
			screen.ChainStrip(figure.NewChainStrip(d.Chain, notation))
			screen.Println("")
		}
		screen.Table(figure.NewChainStrip(d.Chain, notation).Table())
	}
	if !record.LinksRead {
		screen.Println("")
		screen.Paragraph("", "Links are not read on this system yet: only volumes, their sizes and their free "+
			"space are known.")
	}
	for _, each := range record.Untold {
		screen.Println("")
		screen.Paragraph("", "Not told: "+each+".")
	}
	if record.System != "linux" {
		screen.Println("")
		screen.Paragraph("", record.Known)
	}
}
