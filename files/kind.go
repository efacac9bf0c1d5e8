package files

import "encoding/json"

// A kind is what the texts of a column can be kept as. Wider kinds have larger numbers;
// only what is written plainly counts as a number or a date, so that nothing is guessed:
// other writings stay text, and a dataset reads them as what they are.
type kind int

const (
	kindEmpty kind = iota
	kindBool
	kindInt
	kindNumber
	kindDate
	kindTime
	kindText
	kindJSON // objects and lists of JSON files
)

var sqlKinds = map[kind]string{kindEmpty: "text", kindBool: "boolean", kindInt: "bigint", kindNumber: "numeric", kindDate: "date", kindTime: "timestamptz", kindText: "text", kindJSON: "jsonb"}

var kindWords = map[kind]string{kindBool: "true or false", kindInt: "a whole number", kindNumber: "a number", kindDate: "a date like 2026-03-31", kindTime: "a time like 2026-03-31T14:00:00Z", kindText: "a text", kindJSON: "JSON"}

// wider is the narrowest kind that holds both.
func wider(a, b kind) kind {
	switch {
	case a == b || b == kindEmpty:
		return a
	case a == kindEmpty:
		return b
	case a == kindInt && b == kindNumber || a == kindNumber && b == kindInt:
		return kindNumber
	case a == kindJSON || b == kindJSON:
		return kindJSON
	}
	return kindText
}

// kindOf finds the kind of one text.
func kindOf(b []byte) kind {
	if len(b) == 0 {
		return kindEmpty
	}
	switch c := b[0]; {
	case c >= '0' && c <= '9' || c == '-' || c == '+':
		return numeric(b)
	case c == 't' && string(b) == "true", c == 'f' && string(b) == "false":
		return kindBool
	}
	return kindText
}

// fits tells whether a text may be kept as a kind.
func (k kind) fits(b []byte) bool {
	if k == kindText || len(b) == 0 {
		return true
	}
	if k == kindJSON {
		return json.Valid(b)
	}
	of := kindOf(b)
	return of == k || k == kindNumber && of == kindInt
}

// numeric tells whole numbers, numbers, dates and times apart. Digits with a zero before
// them, such as 007, are a code and stay text.
func numeric(b []byte) kind {
	i := 0
	if b[0] == '-' || b[0] == '+' {
		i = 1
	}
	start := i
	for i < len(b) && b[i] >= '0' && b[i] <= '9' {
		i++
	}
	digits := i - start
	switch {
	case digits == 0:
		return kindText
	case i == len(b):
		if digits > 1 && b[start] == '0' || b[0] == '+' {
			return kindText
		}
		if digits > 18 {
			if digits > 400 {
				return kindText
			}
			return kindNumber
		}
		return kindInt
	case b[i] == '.' && i+1 < len(b):
		if digits > 1 && b[start] == '0' || b[0] == '+' || len(b) > 400 {
			return kindText
		}
		for i++; i < len(b); i++ {
			if b[i] < '0' || b[i] > '9' {
				return kindText
			}
		}
		return kindNumber
	case b[i] == '-' && digits == 4 && start == 0:
		return dateOrTime(b)
	}
	return kindText
}

func two(b []byte) int {
	if b[0] < '0' || b[0] > '9' || b[1] < '0' || b[1] > '9' {
		return -1
	}
	return int(b[0]-'0')*10 + int(b[1]-'0')
}

var monthDays = [13]int{0, 31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31}

// dateOrTime reads 2026-03-31, and after it T14:00, T14:00:00.123 with Z or an offset.
func dateOrTime(b []byte) kind {
	if len(b) < 10 || b[4] != '-' || b[7] != '-' {
		return kindText
	}
	century, year, month, day := two(b), two(b[2:]), two(b[5:]), two(b[8:])
	if century < 0 || year < 0 || month < 1 || month > 12 || day < 1 || day > monthDays[month] || century+year == 0 {
		return kindText
	}
	if y := century*100 + year; month == 2 && day == 29 && (y%4 != 0 || y%100 == 0 && y%400 != 0) {
		return kindText
	}
	if len(b) == 10 {
		return kindDate
	}
	if len(b) < 17 || b[10] != 'T' && b[10] != ' ' || b[13] != ':' {
		return kindText
	}
	if h, m := two(b[11:]), two(b[14:]); h < 0 || h > 23 || m < 0 || m > 59 {
		return kindText
	}
	rest := b[16:]
	if rest[0] == ':' {
		if len(rest) < 4 {
			return kindText
		}
		if s := two(rest[1:]); s < 0 || s > 59 {
			return kindText
		}
		rest = rest[3:]
		if rest[0] == '.' {
			n := 1
			for n < len(rest) && n < 10 && rest[n] >= '0' && rest[n] <= '9' {
				n++
			}
			if n == 1 {
				return kindText
			}
			rest = rest[n:]
		}
	}
	// Without Z or an offset it would not say which moment it is, and stays text.
	switch {
	case len(rest) == 1 && rest[0] == 'Z':
		return kindTime
	case len(rest) == 6 && (rest[0] == '+' || rest[0] == '-') && rest[3] == ':', len(rest) == 5 && (rest[0] == '+' || rest[0] == '-'):
		if h, m := two(rest[1:]), two(rest[len(rest)-2:]); h >= 0 && h <= 14 && m >= 0 && m <= 59 {
			return kindTime
		}
	}
	return kindText
}
