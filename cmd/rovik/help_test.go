package main

import (
	"encoding/csv"
	"strings"
	"testing"

	"github.com/spf13/cobra"
)

// wordsOf cuts a line as a shell does, as far as examples need it.
func wordsOf(line string) ([]string, error) {
	if !strings.Contains(line, `"`) {
		line = strings.ReplaceAll(line, "'", `"`) // a shell leaves a dollar alone within these
	}
	r := csv.NewReader(strings.NewReader(line))
	r.Comma = ' '
	return r.Read()
}

// Every command has a manual, and its examples are commands that there are, with flags and
// arguments that they take.
func TestExamplesAreCommands(t *testing.T) {
	seen := map[string]bool{}
	var walk func(*cobra.Command)
	walk = func(c *cobra.Command) {
		name := strings.TrimPrefix(strings.TrimPrefix(c.CommandPath(), "rovik"), " ")
		m, ok := manuals[name]
		seen[name] = true
		if !ok || c.Long != m.long || c.Example == "" {
			t.Errorf("%s has no manual", c.CommandPath())
		}
		for _, line := range strings.Split(m.examples, "\n") {
			line, _, _ = strings.Cut(line, " > ")
			words, err := wordsOf(line)
			if err != nil || len(words) == 0 || words[0] != "rovik" {
				t.Errorf("%s: %v", line, err)
				continue
			}
			found, rest, err := root().Find(words[1:])
			if err != nil {
				t.Errorf("%s: %v", line, err)
				continue
			}
			if err := found.ParseFlags(rest); err != nil {
				t.Errorf("%s: %v", line, err)
				continue
			}
			if err := found.ValidateArgs(found.Flags().Args()); err != nil {
				t.Errorf("%s: %v", line, err)
			}
		}
		for _, sub := range c.Commands() {
			if sub.Name() != "help" && sub.Name() != "completion" {
				walk(sub)
			}
		}
	}
	walk(root())
	for name := range manuals {
		if !seen[name] {
			t.Errorf("there is a manual of rovik %s, which there is not", name)
		}
	}
}
