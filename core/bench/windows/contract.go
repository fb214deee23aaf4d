package windows

import "slices"

// Contract is everything of Windows' interfaces that this package takes for given, for
// whoever compares it with headers.
type Contract struct {
	Fields  []Field
	Numbers []Named
	Keys    []NamedKey
	// Classes are the GUIDs of classes of devices, by their names.
	Classes map[string]string
}

// TheContract gives it.
func TheContract() Contract {
	return Contract{slices.Clone(fields), slices.Clone(numbers), slices.Clone(keys),
		map[string]string{"GUID_DEVINTERFACE_DISK": classDisk, "GUID_DEVINTERFACE_USB_HUB": classHub}}
}
