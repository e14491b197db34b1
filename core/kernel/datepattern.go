package kernel

import (
	"fmt"
	"strings"
	"time"

	"rovik/core/value"
)

// momentWords are the words of patterns for timestamps, longer ones first where they
// begin alike.
var momentWords = wordsByFirst(`A.D. A.M. AD AM B.C. BC CC DAY DDD DD DY Day Dy D FF1 FF2 FF3 FF4 FF5 FF6 FX HH24 HH12 HH IDDD ID IW IYYY IYY IY I J
	MI MM MONTH MON MS Month Mon OF P.M. PM Q RM SSSSS SSSS SS TZH TZM TZ US WW W Y,YYY YYYY YYY YY Y
	a.d. a.m. ad am b.c. bc cc day ddd dd dy d ff1 ff2 ff3 ff4 ff5 ff6 fx hh24 hh12 hh iddd id iw iyyy iyy iy i j
	mi mm month mon ms of p.m. pm q rm sssss ssss ss tzh tzm tz us ww w y,yyy yyyy yyy yy y`)

// romanMonths are the months as RM has them, the last first.
var romanMonths = []string{"XII", "XI", "X", "IX", "VIII", "VII", "VI", "V", "IV", "III", "II", "I"}

// fields are what a timestamp or an interval is made of, for its pattern.
type fields struct {
	year, month, day         int
	hour                     int64
	minute, second, micros   int
	yearDay, weekDay, julian int
	isoYear, isoWeek, isoDay int
	interval                 bool
	zone                     string // the name of the time zone; "" of a timestamp without one
}

func fieldsOfMoment(us int64, zone string) fields {
	t := value.Civil(us)
	isoYear, isoWeek := t.ISOWeek()
	return fields{year: t.Year(), month: int(t.Month()), day: t.Day(), hour: int64(t.Hour()), minute: t.Minute(), second: t.Second(), micros: t.Nanosecond() / 1000,
		yearDay: t.YearDay(), weekDay: int(t.Weekday()), julian: int(value.DayOf(us)) + julianOfEpoch, isoYear: isoYear, isoWeek: isoWeek, isoDay: (isoWeek-1)*7 + (int(t.Weekday())+6)%7 + 1, zone: zone}
}

// julianOfEpoch is the Julian day of 1970-01-01.
const julianOfEpoch = 2440588

func fieldsOfSpan(s value.Span) fields {
	us := s.Micros
	f := fields{year: int(s.Months / 12), month: int(s.Months % 12), day: int(s.Days), hour: us / value.MicrosPerHour, interval: true}
	f.minute, f.second, f.micros = int(us/value.MicrosPerMinute%60), int(us/1_000_000%60), int(us%1_000_000)
	f.yearDay = (f.year*12+f.month)*30 + f.day
	f.julian = julianDay(f.year, f.month, f.day)
	f.isoYear, f.isoWeek = isoWeekOf(f.year, f.julian)
	f.isoDay = f.julian - isoWeekStart(f.isoYear, 1) + 1
	return f
}

// julianDay numbers the days since 4714 BC, as PostgreSQL's date2j: months and days
// may be any.
func julianDay(y, m, d int) int {
	if m > 2 {
		m, y = m+1, y+4800
	} else {
		m, y = m+13, y+4799
	}
	century := y / 100
	return y*365 - 32167 + y/4 - century + century/4 + 7834*m/256 + d
}

// mondayBased is the day of the week of a Julian day, Monday being 0.
func mondayBased(julian int) int {
	if julian %= 7; julian < 0 {
		julian += 7
	}
	return julian
}

// isoWeekStart is the Julian day on which a week of an ISO year begins.
func isoWeekStart(year, week int) int {
	fourth := julianDay(year, 1, 4)
	return (week-1)*7 + fourth - mondayBased(fourth)
}

// isoWeekOf returns the ISO year and week of a day of a year.
func isoWeekOf(year, day int) (int, int) {
	if day >= isoWeekStart(year+1, 1) {
		return year + 1, (day-isoWeekStart(year+1, 1))/7 + 1
	}
	if day < isoWeekStart(year, 1) {
		year--
	}
	return year, (day-isoWeekStart(year, 1))/7 + 1
}

// formatMoment is to_char of a timestamp or an interval.
func formatMoment(f fields, pattern string) (string, error) {
	var b strings.Builder
	for _, n := range patternNodes(pattern, momentWords, true) {
		if n.word == "" {
			b.WriteString(n.text)
			continue
		}
		s, err := f.word(n)
		if err != nil {
			return "", err
		}
		b.WriteString(s)
	}
	return b.String(), nil
}

// ofDates are the words that an interval has nothing for.
var ofDates = wordSet("TZ TZH TZM OF A.D. AD B.C. BC MONTH MON DAY DY D ID")

func wordSet(words string) map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(words) {
		out[w] = true
	}
	return out
}

// word writes one word of a pattern.
func (f fields) word(n patternNode) (string, error) {
	upper := strings.ToUpper(n.word)
	if f.interval && ofDates[upper] {
		return "", value.Errorf("22007", "invalid format specification for an interval").WithHint("intervals are not tied to specific calendar dates")
	}
	name := func(s string, width int) (string, error) {
		switch n.word {
		case upper:
			s = strings.ToUpper(s)
		case strings.ToLower(n.word):
			s = strings.ToLower(s)
		}
		if n.fill || n.local && upper != "RM" {
			width = 0
		}
		return fmt.Sprintf("%-*s", width, s), nil
	}
	exact := func(v int64) (string, error) { return withOrdinal(fmt.Sprint(v), n.ordinal) }
	// A sign takes one place more than the number.
	padded := func(v int64, width int, negative bool) (string, error) {
		if n.fill {
			width = 0
		} else if negative {
			width++
		}
		return withOrdinal(fmt.Sprintf("%0*d", width, v), n.ordinal)
	}
	number := func(v, width int) (string, error) { return padded(int64(v), width, v < 0) }
	year := func(y int) int { // a year before Christ by its number there
		if !f.interval && y <= 0 {
			return 1 - y
		}
		return y
	}
	half := func(s string) (string, error) {
		if f.hour%24 >= 12 {
			s = strings.Replace(s, "A", "P", 1)
		} else {
			s = strings.Replace(s, "P", "A", 1)
		}
		return name(s, 0)
	}
	switch upper {
	case "AM", "PM", "A.M.", "P.M.":
		return half(upper)
	case "AD", "BC", "A.D.", "B.C.":
		era := map[bool]string{true: "BC", false: "AD"}[f.year <= 0]
		if len(upper) > 2 {
			era = era[:1] + "." + era[1:] + "."
		}
		return name(era, 0)
	case "HH", "HH12":
		hour := f.hour % 12
		if hour == 0 {
			hour = 12
		}
		return padded(hour, 2, f.hour < 0)
	case "HH24":
		return padded(f.hour, 2, f.hour < 0)
	case "MI":
		return number(f.minute, 2)
	case "SS":
		return number(f.second, 2)
	case "MS", "US", "FF1", "FF2", "FF3", "FF4", "FF5", "FF6":
		places := map[string]int{"MS": 3, "US": 6}[upper]
		if places == 0 {
			places = int(upper[2] - '0')
		}
		v := f.micros
		for range 6 - places {
			v /= 10
		}
		return withOrdinal(fmt.Sprintf("%0*d", places, v), n.ordinal)
	case "SSSS", "SSSSS":
		return exact(f.hour*3600 + int64(f.minute)*60 + int64(f.second))
	case "TZ":
		return name(f.zone, 0)
	case "TZH":
		return "+00", nil
	case "TZM":
		return "00", nil
	case "OF":
		if n.fill {
			return "+0", nil
		}
		return "+00", nil
	case "MONTH":
		return name(time.Month(f.month).String(), 9)
	case "MON":
		return name(time.Month(f.month).String()[:3], 0)
	case "MM":
		return number(f.month, 2)
	case "DAY":
		return name(time.Weekday(f.weekDay).String(), 9)
	case "DY":
		return name(time.Weekday(f.weekDay).String()[:3], 0)
	case "DDD":
		return padded(int64(f.yearDay), 3, false)
	case "IDDD":
		return padded(int64(f.isoDay), 3, false)
	case "DD":
		return padded(int64(f.day), 2, false)
	case "D":
		return exact(int64(f.weekDay) + 1)
	case "ID":
		return exact(int64(f.weekDay+6)%7 + 1)
	case "WW":
		return padded(int64((f.yearDay-1)/7+1), 2, false)
	case "IW":
		return padded(int64(f.isoWeek), 2, false)
	case "W":
		return exact(int64((f.day-1)/7 + 1))
	case "Q":
		if f.month == 0 {
			return "", nil
		}
		return exact(int64((f.month-1)/3 + 1))
	case "CC":
		century := f.year / 100
		if !f.interval {
			if century = (f.year-1)/100 + 1; f.year <= 0 {
				century = f.year/100 - 1
			}
		}
		if century > 99 || century < -99 {
			return exact(int64(century))
		}
		return number(century, 2)
	case "Y,YYY":
		y := year(f.year)
		return withOrdinal(fmt.Sprintf("%d,%03d", y/1000, y-y/1000*1000), n.ordinal)
	case "YYYY", "YYY", "YY", "Y", "IYYY", "IYY", "IY", "I":
		y, digits := f.year, len(upper)
		if upper[0] == 'I' {
			y = f.isoYear
		}
		y = year(y)
		shown := y
		if digits < 4 {
			shown %= []int{1, 10, 100, 1000}[digits]
		}
		if digits == 1 {
			return exact(int64(shown))
		}
		return padded(int64(shown), digits, year(f.year) < 0)
	case "RM":
		month := 12 - f.month
		switch {
		case f.month == 0 && f.year == 0:
			return "", nil
		case f.month == 0 && f.year > 0:
			month = 0
		case f.month == 0:
			month = 11
		case f.month < 0:
			month = -1 - f.month
		}
		return name(romanMonths[month], 4)
	case "J":
		return exact(int64(f.julian))
	}
	return "", nil // FX
}
