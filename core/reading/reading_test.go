package reading_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/field"
	"eskadel/core/reading"
)

const unreadable = "unreadable"

// What each writing stands for, by the example of its format; that SQL reads the same is
// tested where there is a database.
func TestTextsAreReadAsTheirExampleSays(t *testing.T) {
	for _, c := range []struct {
		t     field.Type
		like  string
		texts [][2]string
	}{
		{field.Number, "1234.50", [][2]string{{"3", "3"}, {" 3.50\t", "3.50"}, {"-3.5", "-3.5"}, {"+3.5", "3.5"}, {"3.5-", "-3.5"}, {"(20.00)", "-20.00"}, {"( 20.00 )", "-20.00"}, {"- 7", "-7"}, {"−7", "-7"}, {"7+", "7"},
			{"", ""}, {" \n ", ""}, {"3,5", unreadable}, {"1,234", unreadable}, {"(20", unreadable}, {"20)", unreadable}, {".5", unreadable}, {"5.", unreadable}, {"1e5", unreadable}, {"--3", unreadable}, {"-+3", unreadable}, {"NaN", unreadable}, {"three", unreadable},
			{strings.Repeat("9", 400), strings.Repeat("9", 400)}, {strings.Repeat("9", 401), unreadable}}},
		{field.Number, "1,234.50", [][2]string{{"1,234.50", "1234.50"}, {"12,345,678", "12345678"}, {"1234", "1234"}, {"1,23", unreadable}, {"1,2345", unreadable}, {"1234,567", unreadable}, {"1.234,5", unreadable}}},
		{field.Number, "1.234,50", [][2]string{{"1.234,50", "1234.50"}, {"0,5", "0.5"}, {"-1.000", "-1000"}, {"1,234.5", unreadable}}},
		{field.Number, "1'234.50", [][2]string{{"1'234.5", "1234.5"}, {"1 234", unreadable}}},
		{field.Number, "£1,234.50", [][2]string{{"£1,234", "1234"}, {"£ 5", "5"}, {"5", "5"}, {"-£5", "-5"}, {"£-5", "-5"}, {"(£5.10)", "-5.10"}, {"$5", unreadable}}},
		{field.Number, "1234,50 €", [][2]string{{"7,5 €", "7.5"}, {"7,5€", "7.5"}, {"7", "7"}, {"7 €-", "-7"}, {"€ 7", unreadable}}},
		{field.Number, "1234.50%", [][2]string{{"12%", "12"}, {"12 %", "12"}, {"12", "12"}, {"12‰", unreadable}}},
		{field.Integer, "1,234", [][2]string{{"1,234", "1234"}, {"-5", "-5"}, {"5.0", unreadable}, {"9223372036854775807", "9223372036854775807"}}},
		{field.Date, "2026-12-31", [][2]string{{"2026-01-02", "2026-01-02"}, {"2026-1-2", "2026-01-02"}, {"2024-02-29", "2024-02-29"}, {"2026-02-29", unreadable}, {"2026-04-31", unreadable}, {"2026-00-10", unreadable}, {"2026-13-01", unreadable}, {"0000-01-01", unreadable}, {"26-01-02", unreadable}, {"2026/01/02", unreadable}, {"2026-01-02 10:00", unreadable}}},
		{field.Date, "31/12/2026", [][2]string{{"3/4/2026", "2026-04-03"}, {"03/04/2026", "2026-04-03"}, {"13/01/2026", "2026-01-13"}, {"01/13/2026", unreadable}, {"3/4/26", unreadable}}},
		{field.Date, "12/31/2026", [][2]string{{"3/4/2026", "2026-03-04"}, {"13/01/2026", unreadable}}},
		{field.Date, "31.12.26", [][2]string{{"3.4.26", "2026-04-03"}, {"3.4.2026", "2026-04-03"}, {"1.1.69", "2069-01-01"}, {"1.1.70", "1970-01-01"}, {"1.1.00", "2000-01-01"}, {"1.1.026", unreadable}}},
		{field.Date, "20261231", [][2]string{{"20260102", "2026-01-02"}, {"2026012", unreadable}, {"20261301", unreadable}}},
		{field.Date, "31 Dec 2026", [][2]string{{"12 June 1998", "1998-06-12"}, {"1 jan 2000", "2000-01-01"}, {"1 JAN. 2000", "2000-01-01"}, {"2-Sept-2001", "2001-09-02"}, {"3 Sep 2001", "2001-09-03"}, {"3 Septe 2001", unreadable}, {"31 Juny 2000", unreadable}, {"31 June 2000", unreadable}, {"Jan 1 2000", unreadable}}},
		{field.Date, "Dec 31, 2026", [][2]string{{"Jan 1 2000", "2000-01-01"}, {"May 5, 2001", "2001-05-05"}, {"December 31, 2026", "2026-12-31"}, {"12 June 1998", unreadable}}},
		{field.Timestamp, "2026-12-31 23:59", [][2]string{{"2026-01-02 03:04", "2026-01-02T03:04:00"}, {"2026-01-02T3:04:05.25", "2026-01-02T03:04:05.25"}, {"2026-01-02 11:30 PM", "2026-01-02T23:30:00"}, {"2026-01-02 12:30am", "2026-01-02T00:30:00"}, {"2026-01-02 12:30 PM", "2026-01-02T12:30:00"}, {"2026-01-02 13:30 PM", unreadable}, {"2026-01-02 0:30 AM", unreadable}, {"2026-01-02 24:00", unreadable}, {"2026-01-02 23:60", unreadable}, {"2026-01-02", unreadable}, {"2026-01-02 03:04Z", unreadable}}},
		{field.Timestamp, "2026-12-31T23:59:00Z", [][2]string{{"2026-01-02T03:04:05Z", "2026-01-02T03:04:05"}, {"2026-01-02 03:04+02:00", "2026-01-02T01:04:00"}, {"2026-01-02 03:04 -0130", "2026-01-02T04:34:00"}, {"2026-01-02 03:04", unreadable}}},
		{field.Boolean, "J/N", [][2]string{{"j", "true"}, {" N ", "false"}, {"yes", unreadable}, {"", ""}}},
	} {
		f, err := reading.Parse(c.t, c.like)
		require.NoError(t, err, c.like)
		for _, text := range c.texts {
			v, ok := f.Read(text[0])
			got := unreadable
			if ok {
				got = strings.TrimSuffix(v.Exact(), "Z")
			}
			assert.Equal(t, text[1], got, "%s as %q: %q", c.t, c.like, text[0])
		}
	}
}

// What casts of formulas read is strict, but for a number's exponent.
func TestPlainFormats(t *testing.T) {
	for _, c := range []struct {
		t          field.Type
		text, want string
	}{
		{field.Number, "1e5", "100000"}, {field.Number, "1.5E-2", "0.015"}, {field.Number, "-2", "-2"}, {field.Number, "1e1000", unreadable}, {field.Number, "(2)", unreadable}, {field.Number, "2-", unreadable}, {field.Number, "1,000", unreadable},
		{field.Integer, "+7", "7"}, {field.Integer, "7.0", unreadable}, {field.Integer, "1e3", unreadable},
		{field.Date, "2026-3-4", "2026-03-04"}, {field.Date, "4.3.2026", unreadable},
		{field.Timestamp, "2026-03-04", "2026-03-04T00:00:00"}, {field.Timestamp, "2026-03-04 05:06:07", "2026-03-04T05:06:07"}, {field.Timestamp, "2026-03-04 05:06 PM", unreadable},
		{field.Boolean, "Yes", "true"}, {field.Boolean, "T", "true"}, {field.Boolean, "1", "true"}, {field.Boolean, "off", "false"}, {field.Boolean, "0", "false"}, {field.Boolean, "maybe", unreadable},
		{field.Text, " as it is ", "as it is"},
	} {
		v, ok := reading.Plain(c.t).Read(c.text)
		got := unreadable
		if ok {
			got = strings.TrimSuffix(v.Exact(), "Z")
		}
		assert.Equal(t, c.want, got, "%s: %q", c.t, c.text)
	}
}

func TestExamplesThatShowNoFormatAreRefused(t *testing.T) {
	for _, c := range []struct {
		t     field.Type
		like  string
		words string
	}{
		{field.Number, "12", "how 1234.50 is written"}, {field.Number, "1.234.50", "how 1234.50 is written"}, {field.Number, "1,234,50", "how 1234.50 is written"}, {field.Number, "", "how 1234.50 is written"},
		{field.Date, "2026-31-12", "how 31 December 2026 is written"}, {field.Date, "2026-12/31", "how 31 December 2026 is written"}, {field.Date, "31/12-2026", "how 31 December 2026 is written"}, {field.Date, "12/31, 2026", "how 31 December 2026 is written"}, {field.Date, "2026-12-31 23:59", "how 31 December 2026 is written"}, {field.Timestamp, "2026-12-31", "how 31 December 2026 is written"},
		{field.Boolean, "yes", "how yes and no are written"}, {field.Boolean, "y/Y", "how yes and no are written"}, {field.Boolean, "/no", "how yes and no are written"}, {field.Boolean, "yes/", "how yes and no are written"},
		{field.Text, "x", "Text is read as"}, {field.Number, "1234.50 \xe2", "is not text"},
	} {
		_, err := reading.Parse(c.t, c.like)
		assert.ErrorContains(t, err, c.words, c.like)
	}
	var f reading.Format
	require.NoError(t, json.Unmarshal([]byte(`{"type":"number","like":"$1,234.50"}`), &f))
	assert.Equal(t, "USD", f.Unit())
	assert.Error(t, json.Unmarshal([]byte(`{"type":"number","like":"x"}`), &f))
	assert.Error(t, json.Unmarshal([]byte(`{"type":"number","like":"1234.50","unit":"m"}`), &f))
}

// The format of a column is found from all of it, with its unit, and the other order of day
// and month where nothing says which it is.
func TestFormatsAreFound(t *testing.T) {
	for _, c := range []struct {
		texts       string // with bars between
		like, other string
		unit        string
	}{
		{"1|2|3.5", "1234.50", "", ""}, {"1,000|2,500.5|", "1,234.50", "", ""}, {"1.000,5|2", "1.234,50", "", ""}, {"3,5|4,25", "1234,50", "", ""}, {"1 000,5|2 000", "1 234,50", "", ""}, {"1'000.5", "1'234.50", "", ""},
		{"(20.00)|20.00-|5", "1234.50", "", ""}, {"£5|£6.50", "£1234.50", "", "GBP"}, {"5 €|6,5 €", "1234,50 €", "", "EUR"}, {"£12.50|-£1,200.00", "£1,234.50", "", "GBP"}, {"12%|7%", "1234.50%", "", "%"}, {"EUR 5|EUR 6", "EUR1234.50", "", "EUR"}, {"5 kg|6 kg", "1234.50 kg", "", "kg"}, {"12,50 kr|7 kr", "1234,50 kr", "", "kr"}, {"CHF 12.50|CHF 7", "CHF1234.50", "", "CHF"}, {"12 apples and pears|7 apples and pears", "", "", ""}, {"1.234,50|99,00", "1.234,50", "", ""},
		{"007|123", "", "", ""}, {"OLD1234|OLD1235", "", "", ""}, {"12A|13A", "", "", ""}, {"tall|wide", "", "", ""}, {"1|2|3|4|5|6|7|8|x|y", "", "", ""}, {"1|2|3|4|5|6|7|8|9|x", "1234.50", "", ""}, {"", "", "", ""}, {" | ", "", "", ""},
		{"2026-01-02|1999-12-31", "2026-12-31", "", ""}, {"3/4/2026|5/6/2026", "31/12/2026", "12/31/2026", ""}, {"3/4/2026|25/6/2026", "31/12/2026", "", ""}, {"3/4/2026|6/25/2026", "12/31/2026", "", ""}, {"3.4.26", "31.12.26", "12.31.26", ""},
		{"12 June 1998|1 May 2000", "31 Dec 2026", "", ""}, {"Jan 1 2000", "Dec 31, 2026", "", ""}, {"2001/01/01 06:55", "2026/12/31 23:59", "", ""}, {"1/2/2026 7:05 PM", "31/12/2026 23:59", "12/31/2026 23:59", ""}, {"20260102|20251231", "20261231", "", ""}, {"2026-01-02T03:04:05+01:00", "2026-12-31T23:59:00Z", "", ""},
		{"Yes|no|YES", "yes/no", "", ""}, {"true|false", "true/false", "", ""},
	} {
		found := reading.Detect(strings.Split(c.texts, "|"))
		if c.like == "" {
			assert.Nil(t, found, c.texts)
			continue
		}
		if !assert.NotNil(t, found, c.texts) {
			continue
		}
		assert.Equal(t, c.like, found.Format.Like, c.texts)
		assert.Equal(t, c.unit, found.Format.Unit(), c.texts)
		other := ""
		if found.Other != nil {
			other = found.Other.Like
		}
		assert.Equal(t, c.other, other, c.texts)
	}
	found := reading.Detect([]string{"1", "", "2", "3", "4", "5", "6", "7", "8", "9", "x"})
	require.NotNil(t, found)
	assert.Equal(t, [2]int{9, 10}, [2]int{found.Read, found.Of}, "blank ones do not count")
}

// Whatever texts hold, the format that is found reads as many as it says, and what it reads
// is written so that it is read as the same again.
func FuzzDetect(f *testing.F) {
	for _, s := range []string{"1|2", "£5|-3", "3.4.26|x", "(1,000.5)|2-", "2026-01-02 10:00 PM", "\x00|’", "1 Sept 2020|0", "٣|३", "1e5|5 €-", "0 \xe2"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, all string) {
		texts := strings.Split(all, "|")
		found := reading.Detect(texts)
		if found == nil {
			return
		}
		read := 0
		for _, s := range texts {
			v, ok := found.Format.Read(s)
			if !ok || v.IsEmpty() {
				continue
			}
			read++
			again, err := field.Parse(found.Format.Type, v.Exact())
			if err != nil || field.Compare(v, again) != 0 {
				t.Fatalf("%q is read as %s, which is read as %v: %v", s, v.Exact(), again, err)
			}
		}
		if read != found.Read {
			t.Fatalf("%q: %d, not %d", texts, read, found.Read)
		}
	})
}
