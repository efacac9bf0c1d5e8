package dataset_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
)

// What an attribute stands for is the column that a rule compares it with, behind whatever links; it is
// asked as a dataset of that column's own table.
func TestWhatAttributesStandFor(t *testing.T) {
	for where, want := range map[string]map[string]string{
		`"every row"`: {},
		`{"field":"kind","is":{"viewer":"trade"}}`:            {"trade": "public.job kind kind"},
		`{"field":"yard_id","is":{"viewer":"yard"}}`:          {"yard": "public.job yard_id yard"},
		`{"field":"yard_id.region","is":{"viewer":"region"}}`: {"region": "public.yard region region"},
		`{"any":[{"field":"yard_id","is":{"viewer":"yard"}},{"not":{"field":"kind","one_of":[{"viewer":"trade"},"care"]}}]}`:                     {"yard": "public.job yard_id yard", "trade": "public.job kind kind"},
		`{"all":[{"field":"kind","is":{"viewer":"both"}},{"field":"yard_id","is":{"viewer":"both"}}]}`:                                           {"both": "public.job kind kind"},
		`{"all":[{"field":"kind","is":"care"},{"field":"yard_id","is_not":{"viewer":"yard"}},{"field":"yard_id.name","is":{"viewer":"place"}}]}`: {"yard": "public.job yard_id yard", "place": "public.yard name name"},
	} {
		r, err := dataset.ReadRules([]byte(`{"version":1,"source":"desk","tables":[{"table":"job","row_rules":[{"roles":["everyone"],"where":` + where + `}]},{"table":"yard","row_rules":[{"roles":["everyone"],"where":"every row"}]}]}`))
		require.NoError(t, err)
		tables, err := sample.Tables().With(r)
		require.NoError(t, err)
		got := map[string]string{}
		for name, meaning := range tables.Meanings() {
			ds, field, err := meaning.Asked("desk", tables)
			require.NoError(t, err)
			require.NotNil(t, ds, name)
			f, err := ds.Field(field)
			require.NoError(t, err)
			assert.Equal(t, meaning.Table.ID(), ds.Table.ID())
			got[name] = fmt.Sprint(meaning.Table.ID(), " ", meaning.Column, " ", f.Name)
		}
		assert.Equal(t, want, got, where)
	}
}
