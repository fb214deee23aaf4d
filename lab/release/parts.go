package main

import (
	"crypto/sha256"
	"debug/buildinfo"
	"encoding/hex"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	cyclonedx "github.com/CycloneDX/cyclonedx-go"
)

// parts writes what a program is made of, as the program itself says, in the form of CycloneDX
// 1.5: its modules with their versions and the sums by which Go checks them (not of a file), and Go.
func (r *release) parts(system, program string) error {
	info, err := buildinfo.ReadFile(program)
	if err != nil {
		return err
	}
	content, err := os.ReadFile(program)
	if err != nil {
		return err
	}
	sum := sha256.Sum256(content)
	list := cyclonedx.NewBOM()
	// The number of a list is made of what it lists, so that it is the same each time.
	list.SerialNumber = "urn:uuid:" + numberOf(sum)
	list.Metadata = &cyclonedx.Metadata{Timestamp: r.made.Format("2006-01-02T15:04:05Z"), Component: &cyclonedx.Component{
		Type: cyclonedx.ComponentTypeApplication, Name: "opengauge", Version: r.version, Licenses: licence("Apache-2.0"),
		Hashes: &[]cyclonedx.Hash{{Algorithm: cyclonedx.HashAlgoSHA256, Value: hex.EncodeToString(sum[:])}},
	}}
	components := []cyclonedx.Component{{Type: cyclonedx.ComponentTypeLibrary, Name: "std", BOMRef: "std",
		Version:    strings.TrimPrefix(info.GoVersion, "go"),
		PackageURL: "pkg:golang/std@" + strings.TrimPrefix(info.GoVersion, "go")}}
	for _, module := range info.Deps {
		if module.Replace != nil {
			module = module.Replace
		}
		purl := "pkg:golang/" + module.Path + "@" + module.Version
		component := cyclonedx.Component{Type: cyclonedx.ComponentTypeLibrary, Name: module.Path, Version: module.Version,
			BOMRef: purl, PackageURL: purl}
		component.Properties = &[]cyclonedx.Property{{Name: "go.sum", Value: module.Sum}}
		components = append(components, component)
	}
	list.Components = &components
	name := fmt.Sprintf("opengauge-%s-%s.cdx.json", r.version, strings.ReplaceAll(system, "/", "-"))
	file, err := os.Create(filepath.Join(r.out, name))
	if err != nil {
		return err
	}
	defer file.Close()
	return cyclonedx.NewBOMEncoder(file, cyclonedx.BOMFileFormatJSON).SetPretty(true).EncodeVersion(list,
		cyclonedx.SpecVersion1_5)
}

// numberOf makes a UUID of a sum, marked as one of an own making (RFC 9562, 5.8).
func numberOf(sum [sha256.Size]byte) string {
	sum[6], sum[8] = sum[6]&0x0f|0x80, sum[8]&0x3f|0x80
	return fmt.Sprintf("%x-%x-%x-%x-%x", sum[0:4], sum[4:6], sum[6:8], sum[8:10], sum[10:16])
}

func licence(id string) *cyclonedx.Licenses {
	return &cyclonedx.Licenses{{License: &cyclonedx.License{ID: id}}}
}
