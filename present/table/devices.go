package table

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"opengauge/core/bench/survey"
	"opengauge/core/unit"
)

// DeviceTitle names a device: "/dev/nvme0n1: Sandpiper 1 TB, 1 TB (931 GiB)".
func DeviceTitle(d survey.Device) string {
	title := d.Path + ": " + string(d.Kind)
	if d.Model != "" {
		title = d.Path + ": " + d.Model + ", " + string(d.Kind)
	}
	return title + ", " + d.Capacity.Capacity()
}

// DeviceFacts is the table of facts about a device, hops aside.
func DeviceFacts(d survey.Device) Table {
	t := Table{Columns: []Column{text("what"), text("value")}}
	add := func(what, value string) {
		if value != "" {
			t.Rows = append(t.Rows, []string{what, value})
		}
	}
	add("serial", d.Serial)
	add("firmware", d.Firmware)
	if d.Removable {
		add("removable", "yes")
	}
	add("stands on", strings.Join(d.StandsOn, ", "))
	add("mounted at", mountsText(d.Mounts))
	for _, p := range d.Partitions {
		add("partition "+p.Name, strings.TrimSuffix(p.Size.Capacity()+", "+mountsText(p.Mounts), ", "))
	}
	add("temperature", temperaturesText(d.TemperaturesCelsius))
	if h := d.Health; h != nil {
		add("limits", fmt.Sprintf("warning at %s, critical at %s", limitText(h.WarningCelsius),
			limitText(h.CriticalCelsius)))
		add("wear", fmt.Sprintf("%.0f %% of its endurance used, %s written, %.0f %% of its spare left",
			h.UsedShare*100, h.Written.Capacity(), h.SpareShare*100))
		add("time too hot", fmt.Sprintf("%s above warning, %s above critical",
			unit.Span(unit.Duration(h.AboveWarningSeconds)), unit.Span(unit.Duration(h.AboveCriticalSeconds))))
		add("slowed itself", fmt.Sprintf("%d times lightly, %d times heavily", h.Slowdowns[0], h.Slowdowns[1]))
		add("errors", fmt.Sprintf("%d of media, %d in its log", h.MediaErrors, h.ErrorLogEntries))
	}
	for _, key := range slices.Sorted(maps.Keys(d.Power)) {
		add(strings.ReplaceAll(key, "_", " "), d.Power[key])
	}
	if len(t.Rows) == 0 {
		add("known", "nothing more: the system does not say")
	}
	return t
}

func limitText(limit unit.Celsius) string {
	if limit == 0 {
		return "?"
	}
	return limit.String()
}

func mountsText(mounts []survey.Mount) string {
	var places []string
	for _, m := range mounts {
		place := m.At + " (" + m.FileSystem
		if m.Free != nil {
			place += ", " + m.Free.Decimal() + " free"
		}
		places = append(places, place+")")
	}
	return strings.Join(places, ", ")
}

func temperaturesText(temperatures map[string]unit.Celsius) string {
	var texts []string
	for _, name := range slices.Sorted(maps.Keys(temperatures)) {
		texts = append(texts, name+" "+temperatures[name].String())
	}
	return strings.Join(texts, ", ")
}
