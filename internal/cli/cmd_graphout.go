package cli

import (
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/process"
	"filler/internal/out/graph"
)

func (a *app) graphExportCmd(o *graphing) *cobra.Command {
	var to, output, base string
	cmd := &cobra.Command{Use: "export", Short: "Write nodes and edges: csv, json, graphml, nt, ttl", Args: cobra.NoArgs,
		Long: "Write the graph. csv is a folder with nodes.csv and edges.csv; nt is N-Triples and ttl Turtle, with\nnames that begin with --base. Each edge has the document and the line that it comes from.",
		RunE: func(*cobra.Command, []string) error {
			if to == "" {
				to = strings.TrimPrefix(strings.ToLower(filepath.Ext(output)), ".")
			}
			if output == "" || !slices.Contains(graph.Formats, to) {
				a.parsed = false
				return fmt.Errorf("-o is where to write, --to one of %s, if the name does not say it", strings.Join(graph.Formats, ", "))
			}
			if u, err := url.Parse(base); err != nil || !u.IsAbs() || strings.ContainsAny(base, "<>\" ") {
				a.parsed = false
				return fmt.Errorf("--base %s: not an address such as https://data.example/", base)
			}
			g, _, _, err := a.graph(o)
			if err != nil {
				return err
			}
			write := map[string]func(io.Writer) error{"json": g.JSON, "graphml": g.GraphML, "nt": func(w io.Writer) error { return g.RDF(w, base, false) }, "ttl": func(w io.Writer) error { return g.RDF(w, base, true) }}
			files := map[string]func(io.Writer) error{output: write[to]}
			if to == "csv" {
				files = map[string]func(io.Writer) error{filepath.Join(output, "nodes.csv"): g.NodesCSV, filepath.Join(output, "edges.csv"): g.EdgesCSV}
			}
			for _, file := range []string{output, filepath.Join(output, "nodes.csv"), filepath.Join(output, "edges.csv")} {
				if files[file] == nil {
					continue
				}
				if err := written(file, files[file]); err != nil {
					return err
				}
			}
			a.notef("%s: %s, %s\n", output, plural(len(g.Nodes), "entity"), plural(len(g.Edges), "edge"))
			return nil
		}}
	f := cmd.Flags()
	f.StringVar(&to, "to", "", "the `FORMAT`: "+strings.Join(graph.Formats, ", "))
	f.StringVarP(&output, "output", "o", "", "write to this `PATH`")
	f.StringVar(&base, "base", "https://data.example/", "the `ADDRESS` that names of RDF begin with")
	return cmd
}

func (a *app) graphDrawCmd(o *graphing) *cobra.Command {
	var output string
	cmd := &cobra.Command{Use: "draw NAME -o FILE.svg", Short: "Draw what is next to an entity", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if strings.ToLower(filepath.Ext(output)) != ".svg" {
				a.parsed = false
				return errors.New("-o is missing: where to draw, such as -o around.svg")
			}
			g, _, _, err := a.graph(o)
			if err != nil {
				return err
			}
			n, err := a.one(g.Graph, args[0], o.kind)
			if err != nil {
				return err
			}
			left := 0
			if err := written(output, func(w io.Writer) (err error) {
				left, err = g.Draw(w, n)
				return err
			}); err != nil {
				return err
			}
			more := ""
			if left > 0 {
				more = fmt.Sprintf("; %d more do not fit, `filler graph around` lists them", left)
			}
			a.notef("%s: around %s%s\n", output, g.Nodes[n].Name, more)
			return nil
		}}
	cmd.Flags().StringVarP(&output, "output", "o", "", "draw into this `FILE`.svg")
	return cmd
}

// written writes a file in one piece.
func written(file string, write func(io.Writer) error) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o777); err != nil {
		return fmt.Errorf("%s: can't be made; check its permissions", filepath.Dir(file))
	}
	if info, err := os.Stat(file); err == nil && !info.Mode().IsRegular() {
		return fmt.Errorf("%s: this is no plain file; name a file", file)
	}
	f, err := process.Begin(file, false)
	if err == nil {
		err = f.Commit(write(f))
	}
	if err != nil {
		return fmt.Errorf("%s: can't be written; check that its folder may be written, and that the disk has room", file)
	}
	return nil
}
