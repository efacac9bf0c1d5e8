package dataset_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/field"
)

// A table of the same name in another schema does not take the place of one that is kept.
func TestTablesAreKeptWithTheirSchemas(t *testing.T) {
	table := func(schema, name string) *dataset.Table {
		return &dataset.Table{Schema: schema, Name: name, Kind: "table", Unique: [][]string{{"id"}}, Columns: []dataset.Column{{Name: "id", Type: field.Integer, Native: true}}}
	}
	c := dataset.Catalogue{table("lab", "sample"), table("lab", "batch")}
	d, err := dataset.Read([]byte(`{"version":1,"name":"samples","title":"Samples","record":["sample","samples"],"source":"s","from":{"table":"sample"},"key":["id"],
		"links":[{"column":"id","table":"batch","to":"id"}],"fields":[{"name":"id","column":"id"},{"name":"n","linked":{"table":"batch","by":"id","take":"count"}}]}`))
	require.NoError(t, err)
	r := &dataset.SourceRules{Tables: []dataset.TableRules{{Table: "sample"}, {Table: "gone"}}}
	d.Settle(c)
	r.Settle(c)
	c = append(c, table("public", "sample"), table("public", "batch"))
	assert.Equal(t, "lab", c.Table(d.From.Table).Schema)
	assert.Equal(t, []string{"lab.batch", "lab.batch"}, []string{d.Links[0].Table, d.Fields[1].Linked.Table})
	assert.Equal(t, []string{"lab.sample", "gone"}, []string{r.Tables[0].Table, r.Tables[1].Table}, "what is not there stays as it was typed")
}
