// Command sbom writes a software bill of materials of a program: what it is made of, read out of the
// program itself, in CycloneDX 1.6 (ECMA-424), JSON.
//
//	go run ./release/sbom 0.1.0 dist/filler-0.1.0-linux-amd64 > dist/filler-0.1.0.cdx.json
//
// Licences are those of `filler version --licences`, which a test holds to the modules.
package main

import (
	"bufio"
	"debug/buildinfo"
	"fmt"
	"log"
	"os"
	"strings"

	bom "github.com/CycloneDX/cyclonedx-go"
)

func main() {
	log.SetFlags(0)
	if len(os.Args) != 3 {
		log.Fatal("the form is `go run ./release/sbom VERSION PROGRAM`")
	}
	b, err := billOf(os.Args[1], os.Args[2], "internal/cli/licences.txt")
	if err == nil {
		err = bom.NewBOMEncoder(os.Stdout, bom.BOMFileFormatJSON).SetPretty(true).EncodeVersion(b, bom.SpecVersion1_6)
	}
	if err != nil {
		log.Fatal(err)
	}
}

// billOf reads what a program is made of. It holds no time and no random number, so that the same
// program has the same bill.
func billOf(version, program, licenceFile string) (*bom.BOM, error) {
	info, err := buildinfo.ReadFile(program)
	if err != nil {
		return nil, err
	}
	licences, err := licencesOf(licenceFile)
	if err != nil {
		return nil, err
	}
	self := component("filler", version, "MIT")
	self.Type = bom.ComponentTypeApplication
	std := component("std", strings.TrimPrefix(info.GoVersion, "go"), "BSD-3-Clause")
	all := []bom.Component{std}
	needs := []string{std.BOMRef}
	for _, m := range info.Deps {
		if m.Replace != nil {
			m = m.Replace
		}
		licence := licences[m.Path]
		if licence == "" {
			return nil, fmt.Errorf("%s: %s has no licence; run the tests of internal/cli with FILLER_WRITE_DOCS=1", licenceFile, m.Path)
		}
		c := component(m.Path, m.Version, licence)
		all = append(all, c)
		needs = append(needs, c.BOMRef)
	}
	b := bom.NewBOM()
	b.Metadata = &bom.Metadata{Component: &self}
	b.Components = &all
	b.Dependencies = &[]bom.Dependency{{Ref: self.BOMRef, Dependencies: &needs}}
	return b, nil
}

func component(path, version, licence string) bom.Component {
	purl := "pkg:golang/" + path + "@" + version
	choice := bom.LicenseChoice{License: &bom.License{ID: licence}}
	if strings.Contains(licence, " ") { // no name of SPDX
		choice = bom.LicenseChoice{License: &bom.License{Name: licence}}
	}
	return bom.Component{BOMRef: purl, Type: bom.ComponentTypeLibrary, Name: path, Version: version, PackageURL: purl, Licenses: &bom.Licenses{choice}}
}

// licencesOf reads the list of modules with their licences, up to the texts.
func licencesOf(file string) (map[string]string, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	all := map[string]string{}
	lines := bufio.NewScanner(f)
	for lines.Scan() {
		module, licence, ok := strings.Cut(lines.Text(), "  ")
		if !ok {
			break
		}
		path, _, _ := strings.Cut(module, " ")
		all[path] = strings.TrimSpace(licence)
	}
	return all, lines.Err()
}
