package tests

import (
	"context"
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"

	"rovik/core/value"
)

// spelled are parts of dates and times in many spellings, right and wrong.
var spelled = map[string][]string{
	"date": {"2024-02-29", "2024-2-9", "20240229", "240229", "29 feb 2024", "Feb 29, 2024", "29-Feb-2024", "Feb-29-2024", "2024-Feb-29", "29feb2024", "1/8/1999", "02/29/24", "1999.8",
		"2024.060", "J2460370", "julian 2460370", "2024-060", "1.8.1999", "January 8 99 BC", "0044-03-15 BC", "15 march 44 bc", "12024-01-01", "infinity", "-Infinity", "epoch", "+infinity",
		"2023-02-29", "2024-13-01", "0000-01-01", "1-1-1", "99", "5874897-12-31", "5874898-01-01", "4714-11-24 BC", "4714-11-23 BC", "294246-12-31", "Thu 29 Feb 2024", "sept 9 2024", "2024-02-29-", "2024/2/29", "08-Jan-99", "99-Jan-08", "Jan-08-1999",
		"on 2024-02-29 at", "2024-02", "feb 2024", "29 feb", ""},
	"time": {"", "12:30", "12:30:15", "12:30:15.123456789", "T12:30:15", "t123015", "123015", "1230", "12:30 pm", "12:30am", "12:30 AM", "13:00 pm", "00:30 am", "24:00:00", "24:00:01", "23:59:60", "12:60", "allballs", "12", "4:5:6",
		"30:15.5", "123015.5", "T04:05", "-12:30", "12:30:", ":30", "12:30:15.", "25:00"},
	"zone": {"", "Z", "z", "+05", "-0530", "+05:30", "+5:30:15", "UTC", "utc", "EST", "PDT", "cest", "MSK", "Europe/Berlin", "america/new_york", "America/Argentina/Buenos_Aires", "+16", "+05:60", "UTC+3", "nowhere", "EST5EDT", "MET DST", "DST", "-08:00 pst", "GMT-5", "zulu", "Etc/GMT+3", "asia/ho_chi_minh"},
}

// intervals are intervals in many spellings, right and wrong.
var intervals = []string{"1 year 2 mons 3 days 04:05:06", "1-2 3 4:5:6", "P1Y2M3DT4H5M6S", "P0001-02-03T04:05:06", "@ 1 minute ago", "1.5 months", "-1 mon +2 days", "2 weeks", "1 decade", "1 c", "1 mil", "0", "0.5", "1", "-3.5", "1 day 25:00", "1h30m", "3 hrs 2 secs",
	"infinity", "1 fortnight", "", "1 1", "1 day 1 day", "04:05", "04:05:06.7891234", "-04:05", "5 usec", "5 ms 3 us", "1 sec ago", "ago", "1e3 days", "1 day ago 1 hour", "2147483647 months", "2147483648 days", "P1W", "PT0.5S", "P", "PT", "1 Y 2 D", "1 quarter",
	"12 hours 30", "30 12:00", "1 year-2", "+1 day", "1 day - 2 hours", "100:00:00", "1 millennium", "2 centuries", "1.1 years", "1.25 days", ".5 hours", "1 mon 1.5 days ago"}

// Dates, times and intervals are read from text as PostgreSQL reads them, errors
// included.
func TestSpellingsOfDatesAndTimes(t *testing.T) {
	ctx := context.Background()
	ref := reference
	seed, _ := seeds(1)
	r := rand.New(rand.NewPCG(uint64(seed), 53))
	type one struct {
		kind value.Kind
		text string
	}
	var all []one
	kinds := []value.Kind{value.Date, value.Timestamp, value.TimestampTZ, value.Time}
	for _, d := range spelled["date"] {
		for _, k := range kinds {
			all = append(all, one{k, d}, one{k, d + " 12:30:15"}, one{k, d + " 12:30 PST"})
		}
	}
	for _, c := range spelled["time"] {
		for _, z := range spelled["zone"] {
			for _, k := range kinds[1:] {
				all = append(all, one{k, "2024-07-01 " + c + " " + z}, one{k, strings.TrimSpace(c + " " + z)}, one{k, c + " " + z})
			}
		}
	}
	for _, s := range intervals {
		all = append(all, one{value.Interval, s})
	}
	pick := func(list []string) string { return list[r.IntN(len(list))] }
	for range 3000 {
		parts := []string{pick(spelled["date"]), pick(spelled["time"]), pick(spelled["zone"])}
		r.Shuffle(len(parts), func(i, j int) { parts[i], parts[j] = parts[j], parts[i] })
		all = append(all, one{kinds[r.IntN(len(kinds))], strings.Join(parts, pick([]string{" ", ", ", "  ", "; "}))})
		all = append(all, one{value.Interval, pick(intervals) + pick([]string{" ", ""}) + pick(intervals)})
	}
	agree := 0
	for _, c := range all {
		if relative(c.text) {
			continue
		}
		var want string
		err := ref.QueryRow(ctx, "SELECT CAST(CAST($1 AS text) AS "+c.kind.String()+")::text", c.text).Scan(&want)
		var refused *pgconn.PgError
		if errors.As(err, &refused) {
			want = refused.Code
		} else if err != nil {
			t.Fatal(err)
		}
		v, err := value.Parse(c.kind, c.text)
		got := v.String()
		if err != nil {
			got = value.Code(err)
		}
		if got != want {
			t.Errorf("%s %q is %s, want %s", c.kind, c.text, got, want)
		} else if err == nil {
			agree++
		}
	}
	if agree < 500 {
		t.Errorf("only %d spellings are values", agree)
	}
}

// relative reports whether a text depends on the present, or is beyond what is carried.
func relative(s string) bool { return strings.Contains(s, "now") && !strings.Contains(s, "nowhere") }

// Words as today mean the day of the run, also where a view was saved before.
func TestTodayIsTheDayOfTheRun(t *testing.T) {
	holdsLaw(t, "SELECT date 'today' = current_date AS a, timestamp 'tomorrow' - timestamp 'today' AS b, timestamptz 'now' = now() AS c, date 'yesterday' < current_date AS d, CAST('today' AS timestamp) = CAST(current_date AS timestamp) AS e", false)
}
