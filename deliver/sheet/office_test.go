//go:build office

package sheet

import (
	"encoding/csv"
	"fmt"
	"math/big"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/format"
)

// What a spreadsheet program reads is what was written: types, and sums to the cent.
func TestAnotherProgramReadsIt(t *testing.T) {
	folder := t.TempDir()
	var lines [][]Cell
	sum := new(big.Rat)
	for i := range 500 {
		exact := fmt.Sprintf("%d.%02d", i*7919%100000, i%100)
		v, _ := new(big.Rat).SetString(exact)
		sum.Add(sum, v)
		lines = append(lines, []Cell{text(fmt.Sprintf("=job %d", i)), number(exact), day})
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "jobs.xlsx"), file(t, "xlsx", false, []Column{{Label: "Job"}, {Label: "Cost", Number: true, Format: format.ParseNumber(nil, "plain 0.00", "", 2)}, {Label: "Day"}}, lines...), 0o600))
	c := exec.Command("soffice", "--headless", "-env:UserInstallation=file://"+folder+"/profile", "--convert-to", "csv:Text - txt - csv (StarCalc):44,34,76,1", "--outdir", folder, filepath.Join(folder, "jobs.xlsx"))
	said, err := c.CombinedOutput()
	require.NoError(t, err, "%s", said)
	read, err := os.Open(filepath.Join(folder, "jobs.csv"))
	require.NoError(t, err, "%s", said)
	all, err := csv.NewReader(read).ReadAll()
	require.NoError(t, err)
	require.Len(t, all, 501)
	again := new(big.Rat)
	for i, line := range all[1:] {
		v, ok := new(big.Rat).SetString(line[1])
		require.True(t, ok, "%v is a number", line)
		again.Add(again, v)
		assert.Equal(t, []string{fmt.Sprintf("=job %d", i), "9 Mar 2026"}, []string{line[0], line[2]})
	}
	assert.Equal(t, sum.FloatString(2), again.FloatString(2))
}
