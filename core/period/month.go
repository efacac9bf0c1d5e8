package period

import "time"

// A MonthSheet is a month in whole weeks, days of the months beside it included. Its days are dates,
// at midnight in UTC.
type MonthSheet struct {
	First time.Time
	Weeks []WeekRow
}

// A WeekRow is the seven days of a week, with its number within its year.
type WeekRow struct {
	Number int
	Days   [7]time.Time
}

// Sheet is the month that a date lies in.
func (c Calendar) Sheet(date time.Time) MonthSheet {
	c = c.Civil()
	m := MonthSheet{First: time.Date(date.Year(), date.Month(), 1, 0, 0, 0, 0, time.UTC)}
	for day := c.Floor(m.First, Week); day.Before(m.Next()); {
		var w WeekRow
		_, w.Number = c.WeekNumber(day)
		for i := range w.Days {
			w.Days[i] = day
			day = day.AddDate(0, 0, 1)
		}
		m.Weeks = append(m.Weeks, w)
	}
	return m
}

// Next is the first day of the month after it.
func (m MonthSheet) Next() time.Time { return m.First.AddDate(0, 1, 0) }

// Last is its last day.
func (m MonthSheet) Last() time.Time { return m.Next().AddDate(0, 0, -1) }

// Has tells whether a date lies in the month itself.
func (m MonthSheet) Has(day time.Time) bool { return !day.Before(m.First) && day.Before(m.Next()) }
