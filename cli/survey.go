package cli

import (
	"errors"
	"io"
	"slices"

	"github.com/spf13/cobra"

	"opengauge/core/bench/link"
	"opengauge/core/bench/network"
	"opengauge/core/bench/survey"
	"opengauge/core/storage/address"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// surveyFlags holds the flags of survey.
type surveyFlags struct {
	sysroot, capture string
	anonymous, all   bool
}

func newSurvey(env *environment) *cobra.Command {
	flags := &surveyFlags{}
	cmd := &cobra.Command{
		Use:   "survey [NAME]",
		Short: "Say what is attached, over which links, how warm, how fast it could be",
		Long: `Survey lists the block devices of this machine, and for each the hops from the
root of the machine to it: what was negotiated, and what both ends could do. It
reads what the kernel tells and asks NVMe drives for their health; it writes
nothing. What the system does not say is left unknown, and what it refuses to say
to this user is named, with how to be told.

Of folders that servers keep (NFS, SMB, 9P) it lists the server, the protocol and the
links that lead there, without asking the server; and network interfaces, with what
was negotiated against what both ends offer. NAME is a device, a folder of a server
or an interface.

With --capture it packs just what it read, and --sysroot looks at such a capture,
of Linux, Windows or macOS alike, at a folder with the sys and proc of another
machine, or at an I/O registry of macOS as a property list.`,
		Example: `  opengauge survey
  opengauge survey nvme0n1
  opengauge survey eth0
  opengauge survey --capture bench.tar.gz --anonymous
  opengauge survey --sysroot bench.tar.gz --json`,
		Args: cobra.MaximumNArgs(1),
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			var names []string
			for _, d := range survey.Here().Devices() {
				names = append(names, d.Name)
			}
			for _, f := range survey.Here().Folders() {
				names = append(names, f.At)
			}
			for _, i := range survey.Here().Interfaces() {
				names = append(names, i.Name)
			}
			return names, cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(_ *cobra.Command, arguments []string) error { return env.survey(arguments, flags) },
	}
	cmd.Flags().StringVar(&flags.sysroot, "sysroot", "", "look at the machine that this capture is of, or whose sys "+
		"and proc are in this folder")
	cmd.Flags().StringVar(&flags.capture, "capture", "", "pack what was read into this file, FILE.tar.gz")
	cmd.Flags().BoolVar(&flags.anonymous, "anonymous", false, "mask serial numbers; they stay distinguishable")
	cmd.Flags().BoolVar(&flags.all, "all", false, "list memory, unused loop devices and virtual interfaces too")
	cmd.Flags().BoolVar(&env.json, "json", false, "print the devices as JSON")
	return cmd
}

// surveyRecord is the document of survey --json.
type surveyRecord struct {
	Format string `json:"format"`
	System string `json:"system"`
	// LinksRead says whether this system's links are read at all.
	LinksRead bool `json:"links_read"`
	// Known says how well the reading of this system has been proven.
	Known   string          `json:"known"`
	Devices []survey.Device `json:"devices"`
	// Folders are kept by servers, and Interfaces belong to the network.
	Folders    []survey.Served    `json:"folders"`
	Interfaces []survey.Interface `json:"interfaces"`
	// Untold lists facts that this user may not read, with how to get the rights.
	Untold []string `json:"untold"`
}

func (e *environment) survey(arguments []string, flags *surveyFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	if len(arguments) > 0 && address.IsWire(arguments[0]) {
		return usageError{errors.New("a survey looks at what this machine has; opengauge measure " + arguments[0] +
			" says what the network to there carries, with the links of both ends")}
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
	record := surveyRecord{Format: "opengauge.survey/1", System: machine.System(),
		LinksRead: survey.LinksAreRead || flags.sysroot != "", Known: survey.Known(machine.System()), Devices: devices,
		Folders: machine.Folders(), Interfaces: machine.Interfaces(), Untold: machine.Untold()}
	if err := record.choose(arguments, flags.all); err != nil {
		return err
	}
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

// choose leaves out devices that nobody measures, unless they are named or all are asked for.
func (r *surveyRecord) choose(named []string, all bool) error {
	if len(named) > 0 {
		r.Devices = slices.DeleteFunc(r.Devices, func(d survey.Device) bool {
			return d.Name != named[0] && d.Path != named[0]
		})
		r.Folders = slices.DeleteFunc(r.Folders, func(f survey.Served) bool { return f.At != named[0] })
		r.Interfaces = slices.DeleteFunc(r.Interfaces, func(i survey.Interface) bool { return i.Name != named[0] })
		if len(r.Devices)+len(r.Folders)+len(r.Interfaces) == 0 {
			return errors.New("there is no block device with a size, no folder of a server and no network interface " +
				"named " + named[0] + "; opengauge survey --all lists them")
		}
		return nil
	}
	if all {
		return nil
	}
	r.Devices = slices.DeleteFunc(r.Devices, func(d survey.Device) bool { return d.Kind == survey.Memory })
	r.Interfaces = slices.DeleteFunc(r.Interfaces, func(i survey.Interface) bool {
		return i.Kind == network.Loopback || i.Kind == network.Virtual || !i.Up && i.Kind != network.Ethernet
	})
	return nil
}

func (e *environment) showDevices(record surveyRecord, strips bool, notation unit.Notation) {
	screen := e.screen()
	if len(record.Devices)+len(record.Folders)+len(record.Interfaces) == 0 {
		screen.Println("No block device was found.")
	}
	first := true
	show := func(title string, facts table.Table, chain link.Chain) {
		if !first {
			screen.Println("")
		}
		first = false
		screen.Heading(title)
		screen.Table(facts)
		if len(chain.Hops) == 0 {
			return
		}
		screen.Println("")
		if strips {
			screen.ChainStrip(figure.NewChainStrip(chain, notation))
			screen.Println("")
		}
		screen.Table(figure.NewChainStrip(chain, notation).Table())
	}
	for _, d := range record.Devices {
		show(table.DeviceTitle(d), table.DeviceFacts(d), d.Chain)
	}
	for _, f := range record.Folders {
		show(table.FolderTitle(f), table.FolderFacts(f), f.Chain)
	}
	for _, i := range record.Interfaces {
		show(table.InterfaceTitle(i), table.InterfaceFacts(i), i.Chain())
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
