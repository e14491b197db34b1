package tracing

import (
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"rovik/core/lineage"
)

// The names that are set by the OpenLineage standard, of its column-level lineage
// facet.
const (
	openLineageSchema   = "https://openlineage.io/spec/facets/1-2-0/ColumnLineageDatasetFacet.json#/$defs/ColumnLineageDatasetFacet"
	openLineageProducer = "urn:rovik"
	direct, indirect    = "DIRECT", "INDIRECT"
)

// OpenLineage is a view's lineage as a facet of that open standard.
type OpenLineage struct {
	Producer string                      `json:"_producer"`
	Schema   string                      `json:"_schemaURL"`
	Fields   map[string]OpenLineageField `json:"fields"`
}

// OpenLineageField is what one column comes from.
type OpenLineageField struct {
	InputFields []OpenLineageInput `json:"inputFields"`
}

// OpenLineageInput is a column of a source, with the ways it takes.
type OpenLineageInput struct {
	Namespace       string                  `json:"namespace"` // the source
	Name            string                  `json:"name"`      // the table
	Field           string                  `json:"field"`
	Transformations []OpenLineageTransforms `json:"transformations"`
}

// OpenLineageTransforms is one way, in the standard's words.
type OpenLineageTransforms struct {
	Type    string `json:"type"`
	Subtype string `json:"subtype"`
}

var openLineageWays = map[lineage.Via]OpenLineageTransforms{
	lineage.Unchanged: {direct, "IDENTITY"}, lineage.Transformed: {direct, "TRANSFORMATION"}, lineage.Aggregated: {direct, "AGGREGATION"},
	lineage.ByFilter: {indirect, "FILTER"}, lineage.ByJoin: {indirect, "JOIN"}, lineage.ByGroup: {indirect, "GROUP_BY"},
	lineage.BySort: {indirect, "SORT"}, lineage.ByWindow: {indirect, "WINDOW"}, lineage.ByCondition: {indirect, "CONDITIONAL"},
}

// OpenLineage returns the lineage of a view's columns, or of one, as a facet of
// the OpenLineage standard.
func (t Tracing) OpenLineage(name string) (*OpenLineage, error) {
	cols, err := t.Lineage(name)
	if err != nil {
		return nil, err
	}
	out := &OpenLineage{Producer: openLineageProducer, Schema: openLineageSchema, Fields: map[string]OpenLineageField{}}
	for _, c := range cols {
		f := OpenLineageField{InputFields: []OpenLineageInput{}}
		at := map[[2]string]int{}
		for _, r := range append(c.Carries[:len(c.Carries):len(c.Carries)], c.Influences...) {
			way, ok := openLineageWays[r.Via]
			if !ok {
				continue // rows of a table are no field
			}
			key := [2]string{r.Table, r.Column}
			i, seen := at[key]
			if !seen {
				i = len(f.InputFields)
				at[key] = i
				source, table, _ := strings.Cut(r.Table, ".")
				f.InputFields = append(f.InputFields, OpenLineageInput{Namespace: source, Name: table, Field: r.Column})
			}
			f.InputFields[i].Transformations = append(f.InputFields[i].Transformations, way)
		}
		out.Fields[c.Name] = f
	}
	return out, nil
}

// LineageCSV writes the lineage of a view's columns, or of one, a line for each
// column of a source and way.
func (t Tracing) LineageCSV(w io.Writer, name string) error {
	cols, err := t.Lineage(name)
	if err != nil {
		return err
	}
	out := csv.NewWriter(w)
	_ = out.Write([]string{"column", "type", "from", "from_column", "how", "carries"}) // Flush tells
	for _, c := range cols {
		for _, r := range append(c.Carries[:len(c.Carries):len(c.Carries)], c.Influences...) {
			_ = out.Write([]string{c.Name, c.Type, r.Table, r.Column, string(r.Via), fmt.Sprint(r.Via.Carries())})
		}
	}
	out.Flush()
	return out.Error()
}
