package windows

import (
	"fmt"
	"slices"
)

// asker asks a system, and keeps what it refused for want of rights, in words and once each.
type asker struct {
	System
	untold []string
}

func (a *asker) query(path string, code uint32, input []byte, most int) (answer, error) {
	told, err := a.Query(path, code, input, most)
	if Denied(err) {
		a.refused(codeWords(code, input))
	}
	if err != nil {
		return nil, err
	}
	if len(told) > most {
		return nil, fmt.Errorf("%s answered with %d bytes, and at most %d were asked for", path, len(told), most)
	}
	return told, nil
}

func (a *asker) list(what Listing, of string) []string {
	names, err := a.List(what, of)
	if Denied(err) {
		a.refused(string(what))
	}
	return names
}

func (a *asker) refused(what string) {
	if !slices.Contains(a.untold, what) {
		a.untold = append(a.untold, what)
	}
}

// codeWords says what a control code asks for.
func codeWords(code uint32, input []byte) string {
	switch code {
	case getLayout:
		return "partitions"
	case getExtents:
		return "which volumes are on which disk"
	case getConnection, getConnectionSpeeds, getDescriptor:
		return "speeds of USB ports"
	case queryProperty:
		if len(input) > queryWhat.Size && answer(input).number(queryWhat) == uint64(protocolProperty) {
			return "health of drives"
		}
	}
	return "disks"
}
