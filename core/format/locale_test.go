package format_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/period"
)

func TestNumbersInTheMannerOfALocale(t *testing.T) {
	t.Cleanup(func() { format.SetLocale("") })
	v, err := field.Parse(field.Number, "-1234567.891")
	require.NoError(t, err)
	share, err := field.Parse(field.Number, "0.125")
	require.NoError(t, err)
	for name, want := range map[string][]string{
		"":      {"−£1,234,567.89", "12.5%", "−1.23 M", "1,204", "−1234567.891"},
		"en-GB": {"−£1,234,567.89", "12.5%", "−1.23 M", "1,204", "−1234567.891"},
		"de-DE": {"−1.234.567,89\u00a0£", "12,5\u00a0%", "−1,23 M", "1.204", "−1234567,891"},
		"fr-FR": {"−1\u202f234\u202f567,89\u00a0£", "12,5\u202f%", "−1,23 M", "1\u202f204", "−1234567,891"},
		"de-CH": {"−£1’234’567.89", "12.5%", "−1.23 M", "1’204", "−1234567.891"},
		"xx-XX": {"−£1,234,567.89", "12.5%", "−1.23 M", "1,204", "−1234567.891"},
	} {
		format.SetLocale(name)
		got := []string{format.ParseNumber("0.00", "GBP", 2).Value(v), format.Percent().Value(share), format.ParseNumber("compact", "", -1).Value(v), format.Count(1204), format.ParseNumber("plain", "", -1).Value(v)}
		assert.Equal(t, want, got, name)
	}
	for _, name := range period.NumberStyles() {
		assert.NotEqual(t, "£", format.Example(name), "every style that a workspace may have is known")
		_, err := (&period.Workspace{Version: 1, Zone: "Europe/London", Numbers: name}).Calendar()
		assert.NoError(t, err)
	}
	_, err = (&period.Workspace{Version: 1, Zone: "Europe/London", Numbers: "en-XX"}).Calendar()
	assert.ErrorContains(t, err, "not as in “en-XX”")
}
