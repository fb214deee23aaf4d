package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// managers writes what package managers of other systems are given: a formula for Homebrew
// and a manifest of three files for winget.
func (r *release) managers(archives []archive) error {
	found := map[string]archive{}
	for _, each := range archives {
		found[each.system] = each
	}
	url := func(system string) string { return r.base + "/" + r.version + "/" + found[system].name }
	if _, ok := found["darwin/arm64"]; ok {
		if err := r.write("opengauge.rb", r.formula(found, url)); err != nil {
			return err
		}
	}
	if _, ok := found["windows/amd64"]; !ok {
		return nil
	}
	const head = "PackageIdentifier: OpenGauge.OpenGauge\nPackageVersion: %s\n"
	const foot = "ManifestType: %s\nManifestVersion: 1.6.0\n"
	var installers strings.Builder
	for _, each := range []struct{ system, architecture string }{{"windows/amd64", "x64"}, {"windows/arm64", "arm64"}} {
		a, ok := found[each.system]
		if !ok {
			continue
		}
		fmt.Fprintf(&installers, "  - Architecture: %s\n    InstallerUrl: %s\n    InstallerSha256: %s\n"+
			"    NestedInstallerFiles:\n      - RelativeFilePath: %s\\opengauge.exe\n        PortableCommandAlias: opengauge\n",
			each.architecture, url(each.system), strings.ToUpper(a.sum), strings.TrimSuffix(a.name, ".zip"))
	}
	for name, text := range map[string]string{
		"OpenGauge.OpenGauge.yaml": fmt.Sprintf(head+"DefaultLocale: en-GB\n"+foot, r.version, "version"),
		"OpenGauge.OpenGauge.installer.yaml": fmt.Sprintf(head+"InstallerType: zip\nNestedInstallerType: portable\n"+
			"ReleaseDate: %s\nInstallers:\n%s"+foot, r.version, r.made.Format("2006-01-02"), installers.String(), "installer"),
		"OpenGauge.OpenGauge.locale.en-GB.yaml": fmt.Sprintf(head+"PackageLocale: en-GB\nPublisher: Open Gauge\n"+
			"PackageName: Open Gauge\nLicense: Apache-2.0\n"+
			"ShortDescription: Measures storage and says what holds it back.\n"+foot, r.version, "defaultLocale"),
	} {
		if err := r.write(name, text); err != nil {
			return err
		}
	}
	return nil
}

// formula is that of Homebrew, with the systems that were made.
func (r *release) formula(found map[string]archive, url func(string) string) string {
	var blocks strings.Builder
	for _, system := range []struct {
		name  string
		under []struct{ block, system string }
	}{
		{"on_macos", []struct{ block, system string }{{"on_arm", "darwin/arm64"}, {"on_intel", "darwin/amd64"}}},
		{"on_linux", []struct{ block, system string }{{"on_arm", "linux/arm64"}, {"on_intel", "linux/amd64"}}},
	} {
		var inner strings.Builder
		for _, each := range system.under {
			if a, ok := found[each.system]; ok {
				fmt.Fprintf(&inner, "    %s do\n      url %q\n      sha256 %q\n    end\n", each.block, url(each.system), a.sum)
			}
		}
		if inner.Len() > 0 {
			fmt.Fprintf(&blocks, "  %s do\n%s  end\n", system.name, inner.String())
		}
	}
	return fmt.Sprintf(`class Opengauge < Formula
  desc "Measures storage and says what holds it back"
  homepage %q
  version %q
  license "Apache-2.0"

%s
  def install
    bin.install "opengauge"
    man1.install Dir["man/man1/*.1"]
    bash_completion.install "completions/opengauge.bash" => "opengauge"
    zsh_completion.install "completions/opengauge.zsh" => "_opengauge"
    fish_completion.install "completions/opengauge.fish"
  end

  test do
    assert_match version.to_s, shell_output("#{bin}/opengauge --version")
  end
end
`, r.base, r.version, blocks.String())
}

func (r *release) write(name, text string) error {
	return os.WriteFile(filepath.Join(r.out, name), []byte(text), 0o644)
}
