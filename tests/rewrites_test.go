package tests

import (
	"context"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"rovik/app/project"
	"rovik/app/runs"
	"rovik/core/rewrite"
	"rovik/demo"
)

// fires has, for every rule, a query by which it shows: what a source's own
// log holds of it, and how many rows then cross.
var fires = []struct {
	rule, sql string
	source    string // whose log is read
	has, not  string // regular expressions for its statement; empty for none
	crossed   string // counts, on the reference, the rows that have to cross
}{
	{"decorrelate", "SELECT m.name, (SELECT count(*) FROM registry.objects o WHERE o.maker_id = m.maker_id) AS n FROM registry.makers m",
		"registry", `LEFT JOIN \(SELECT .*GROUP BY "objects"."maker_id"`, "", "SELECT count(*) FROM registry.makers"},
	{"decorrelate", "SELECT s.code, (SELECT count(*) FROM registry.rooms r WHERE r.room_id < s.site_id) AS n FROM registry.sites s",
		"registry", `DISTINCT`, "", "SELECT count(*) FROM registry.sites"},
	{"fold constants", "SELECT o.title FROM registry.objects o WHERE o.object_id < 10 * 2 + 1", "registry", `"object_id" < \$1::integer`, `\*|\+`, "SELECT count(*) FROM registry.objects WHERE object_id < 21"},
	{"split averages", "SELECT l.status, avg(l.loan_id) AS a FROM lending.loans l GROUP BY l.status", "lending", "SUM\\(.*COUNT\\(", `AVG`, "SELECT count(*) FROM (SELECT DISTINCT status FROM lending.loans) q"},
	{"drop sorts", "SELECT count(*) AS n FROM (SELECT kind FROM registry.objects ORDER BY title) q WHERE q.kind = 'print'", "registry", `COUNT`, `ORDER BY`, "SELECT 1"},
	{"push filters", "SELECT * FROM (SELECT kind, count(*) AS n FROM registry.objects GROUP BY kind) q WHERE q.kind = 'print'", "registry", `WHERE "objects"."kind" = .* GROUP BY`, `HAVING`, "SELECT 1"},
	{"push filters", "SELECT o.title FROM registry.objects o LEFT JOIN registry.makers m ON m.maker_id = o.maker_id WHERE m.born > 1900", "registry", ` JOIN `, `LEFT JOIN`,
		"SELECT count(*) FROM registry.objects o JOIN registry.makers m USING (maker_id) WHERE m.born > 1900"},
	{"push filters", "SELECT * FROM (SELECT loan_id, rank() OVER (PARTITION BY status ORDER BY loan_id) AS r, status FROM lending.loans) q WHERE q.status = 'out'", "lending", "(?s)WHERE .*status", "",
		"SELECT count(*) FROM lending.loans WHERE status = 'out'"},
	{"semi-joins", "SELECT m.name FROM registry.makers m WHERE m.maker_id IN (SELECT o.maker_id FROM registry.objects o WHERE o.fragile)", "registry", `WHERE EXISTS \(SELECT 1`, "",
		"SELECT count(*) FROM registry.makers WHERE maker_id IN (SELECT maker_id FROM registry.objects WHERE fragile)"},
	{"semi-joins", "SELECT i.name FROM lending.institutions i WHERE NOT EXISTS (SELECT 1 FROM lending.loans l WHERE l.institution_code = i.code)", "lending", `NOT EXISTS \(SELECT 1`, "",
		"SELECT count(*) FROM lending.institutions i WHERE NOT EXISTS (SELECT 1 FROM lending.loans l WHERE l.institution_code = i.code)"},
	{"single joins", "SELECT s.code, (SELECT r.name FROM registry.rooms r WHERE r.room_id = s.site_id) AS room FROM registry.sites s", "registry", `LEFT JOIN "public"."rooms"`, "", "SELECT count(*) FROM registry.sites"},
	{"cut contradictions", "SELECT * FROM joined.loan_history h WHERE h.system = 'archive' AND h.object_no = '1'", "lending", "", ".", "SELECT count(*) FROM archive.closed_loans WHERE object_no = '1'"},
	{"cut contradictions", "SELECT o.title FROM registry.objects o WHERE o.object_id > 5 AND o.object_id < 3", "registry", "", ".", "SELECT 0"},
	{"carry conditions", "SELECT o.title, n.insured_value FROM registry.objects o JOIN lending.loan_lines n ON n.object_no = o.accession_no WHERE o.accession_no < '1'", "lending", "object_no. .*<", "",
		"SELECT (SELECT count(*) FROM registry.objects WHERE accession_no < '1') + (SELECT count(*) FROM lending.loan_lines WHERE object_no < '1')"},
	{"drop joins", "SELECT o.title FROM registry.objects o LEFT JOIN registry.makers m ON m.maker_id = o.maker_id", "registry", `objects`, `makers`, "SELECT count(*) FROM registry.objects"},
	{"lift projections", "SELECT q.u, s.town FROM (SELECT upper(r.name) AS u, r.site_id FROM registry.rooms r) q JOIN registry.sites s ON s.site_id = q.site_id", "registry", `FROM "public"."rooms" JOIN "public"."sites"`, `\(SELECT`, "SELECT count(*) FROM registry.rooms"},
	{"gather joins", "SELECT o.title, m.name, v.amount FROM registry.objects o JOIN lending.insurance_values v ON v.object_no = o.accession_no JOIN registry.makers m ON m.maker_id = o.maker_id WHERE m.maker_id = 3",
		"registry", `"objects" JOIN "public"."makers"`, "",
		"SELECT (SELECT count(*) FROM registry.objects WHERE maker_id = 3) + (SELECT count(*) FROM lending.insurance_values WHERE object_no IN (SELECT accession_no FROM registry.objects WHERE maker_id = 3))"},
	{"aggregate early", "SELECT i.name, count(*) AS n, max(c.days_out) AS longest FROM archive.closed_loans c JOIN lending.institutions i ON i.code = c.borrower GROUP BY i.name", "archive", "", "",
		"SELECT (SELECT count(*) FROM (SELECT DISTINCT borrower FROM archive.closed_loans) q) + (SELECT count(*) FROM lending.institutions)"},
	{"limit early", "SELECT o.title, v.days_out FROM registry.objects o LEFT JOIN archive.closed_loans v ON v.object_no = o.accession_no ORDER BY o.object_id LIMIT 5", "registry", `ORDER BY .* LIMIT 5`, "",
		"SELECT 5 + (SELECT count(*) FROM archive.closed_loans WHERE object_no IN (SELECT accession_no FROM registry.objects ORDER BY object_id LIMIT 5))"},
	{"key shipping", "SELECT o.title, n.insured_value FROM lending.loan_lines n JOIN registry.objects o ON o.accession_no = n.object_no WHERE n.loan_id = 7", "registry", `"accession_no" IN \(\$1::text`, "",
		"SELECT (SELECT count(*) FROM lending.loan_lines WHERE loan_id = 7) + (SELECT count(*) FROM registry.objects WHERE accession_no IN (SELECT object_no FROM lending.loan_lines WHERE loan_id = 7))"},
	{"sink expressions", "SELECT upper(o.title) || '!' AS loud, n.packing FROM registry.objects o JOIN lending.loan_lines n ON n.object_no = o.accession_no WHERE n.loan_id = 7", "registry", `upper\(`, "",
		"SELECT (SELECT count(*) FROM lending.loan_lines WHERE loan_id = 7) + (SELECT count(*) FROM registry.objects WHERE accession_no IN (SELECT object_no FROM lending.loan_lines WHERE loan_id = 7))"},
	{"prune columns", "SELECT q.title FROM (SELECT title, material, kind FROM registry.objects WHERE kind = 'print') q", "registry", `SELECT "objects"."title" FROM`, `material`, "SELECT count(*) FROM registry.objects WHERE kind = 'print'"},
}

// Rules fire: the source's own log shows it, and so do the rows that crossed.
func TestRewritesFire(t *testing.T) {
	ctx := context.Background()
	shown := map[string]bool{}
	for _, c := range fires {
		shown[c.rule] = true
		t.Run(c.rule+" "+c.sql, func(t *testing.T) {
			id := project.NewRunID()
			run, err := museum.Now().Start(ctx, queryOf(c.sql), id)
			if err != nil {
				t.Fatal(err)
			}
			if err := runs.WriteResult(discard{}, "csv", run); err != nil {
				t.Fatal(err)
			}
			run.Close()
			report := run.Report()
			var want int64
			if err := reference.QueryRow(ctx, c.crossed).Scan(&want); err != nil {
				t.Fatal(err)
			}
			if *report.RowsCrossed != want {
				t.Errorf("%d rows crossed, and %d had to\n%s", *report.RowsCrossed, want, runs.ExplainText(report))
			}
			if c.source != "archive" { // SQLite has no log
				path := env.Postgres.LogFile
				if c.source == "lending" {
					path = filepath.Join(env.MariaDB.Dir, "statements.log")
				}
				asked := 0
				if c.has != "" {
					asked = 1
				}
				got := strings.Join(logged(t, path, id, asked), "\n")
				if !regexp.MustCompile(c.has).MatchString(got) || c.not != "" && regexp.MustCompile(c.not).MatchString(got) {
					t.Errorf("%s received\n  %s\nwhich has to have %q and not %q", c.source, got, c.has, c.not)
				}
			}
			holdsLaw(t, c.sql, false)
		})
	}
	for _, r := range rewrite.Rules() {
		if !shown[r.Name] {
			t.Errorf("no query shows the rule %q", r.Name)
		}
	}
}

const latestFlat = `SELECT c.object_no, c.report_no, c.inspected_at, c.severity_in_words AS severity, c.stable, (SELECT count(*) FROM condition.finding f WHERE f.report_no = c.report_no) AS findings
	FROM (SELECT r.*, CASE r.severity WHEN '1' THEN 'none' WHEN '2' THEN 'slight' WHEN '3' THEN 'marked' WHEN '4' THEN 'severe' ELSE r.severity END AS severity_in_words,
		row_number() OVER (PARTITION BY r.object_no ORDER BY r.inspected_at DESC, r.report_no DESC) AS nth FROM condition.report r WHERE r.inspected_at IS NOT NULL) c WHERE c.nth = 1`

const partnersFlat = `SELECT p.code, p.name AS hall, coalesce(p.fire_alarm, false) AS fire_alarm, count(r.position) AS rooms, min(r.max_lux) AS darkest, min(r.max_humidity) AS driest
	FROM facility.partner p LEFT JOIN facility.partner_room r ON r.code = p.code GROUP BY p.code, p.name, coalesce(p.fire_alarm, false)`

// flat has every view of the story written without views.
var flat = map[string]string{
	"joined.open_loan": `SELECT l.loan_id, l.loan_no, l.sent_on, l.due_on, i.name AS borrower, i.country
		FROM lending.loans l JOIN lending.institutions i ON upper(btrim(i.code)) = upper(btrim(l.institution_code)) WHERE lower(btrim(l.status)) = 'out'`,
	"joined.object_on_loan": `SELECT o.accession_no AS object_no, o.title, lower(o.kind) AS kind, lower(o.material) AS material, o.value_estimate,
			l.loan_no, i.name AS borrower, i.country, l.sent_on, l.due_on, n.insured_value
		FROM lending.loans l JOIN lending.institutions i ON upper(btrim(i.code)) = upper(btrim(l.institution_code))
		JOIN lending.loan_lines n ON n.loan_id = l.loan_id JOIN registry.objects o ON o.accession_no = n.object_no
		WHERE lower(btrim(l.status)) = 'out' AND lower(o.kind) = 'print' AND l.due_on >= date '2026-01-01'`,
	"joined.loan_history": `SELECT n.object_no, l.loan_no, upper(btrim(l.institution_code)) AS institution_code, l.sent_on, l.returned_on, n.insured_value, 'current' AS system
		FROM lending.loans l JOIN lending.loan_lines n ON n.loan_id = l.loan_id
		UNION ALL SELECT a.object_no, a.loan_no, upper(btrim(a.borrower)), CAST(a.loaned_on AS date), CAST(a.returned_on AS date),
			CASE WHEN a.insured IN ('n/a', 'unknown', 'see file') THEN NULL ELSE CAST(a.insured AS numeric(12,2)) END, 'archive' FROM archive.closed_loans a`,
	"delivery.loan_risk": `SELECT o.accession_no AS object_no, o.title, i.name AS borrower, i.country, l.due_on, lower(o.material) AS material, t.max_lux, t.max_humidity,
			coalesce(o.value_estimate, 0) - coalesce(n.insured_value, 0) AS uninsured
		FROM lending.loans l JOIN lending.institutions i ON upper(btrim(i.code)) = upper(btrim(l.institution_code))
		JOIN lending.loan_lines n ON n.loan_id = l.loan_id JOIN registry.objects o ON o.accession_no = n.object_no
		LEFT JOIN registry.climate_tolerances t ON t.material = lower(o.material)
		WHERE lower(btrim(l.status)) = 'out' AND lower(o.kind) = 'print' AND l.due_on >= date '2026-01-01'`,
	"delivery.uninsured_by_country": `SELECT i.country, count(*) AS objects, sum(coalesce(o.value_estimate, 0) - coalesce(n.insured_value, 0)) AS uninsured, max(l.due_on) AS last_due
		FROM lending.loans l JOIN lending.institutions i ON upper(btrim(i.code)) = upper(btrim(l.institution_code))
		JOIN lending.loan_lines n ON n.loan_id = l.loan_id JOIN registry.objects o ON o.accession_no = n.object_no
		WHERE lower(btrim(l.status)) = 'out' AND lower(o.kind) = 'print' AND l.due_on >= date '2026-01-01'
			AND coalesce(o.value_estimate, 0) - coalesce(n.insured_value, 0) > 0
		GROUP BY i.country ORDER BY uninsured DESC`,
	"joined.latest_condition": latestFlat,
	"joined.partner_climate":  partnersFlat,
	"delivery.fit_to_travel": `SELECT o.accession_no AS object_no, o.title, lower(o.material) AS material, i.name AS borrower, l.due_on, c.severity, c.findings, p.hall, p.darkest, t.max_lux,
			p.darkest <= t.max_lux AS dark_enough, greatest(n.insured_value * a.per_mille / 1000, a.minimum) AS premium
		FROM lending.loans l JOIN lending.institutions i ON upper(btrim(i.code)) = upper(btrim(l.institution_code))
		JOIN lending.loan_lines n ON n.loan_id = l.loan_id JOIN registry.objects o ON o.accession_no = n.object_no
		JOIN (` + latestFlat + `) c ON c.object_no = o.accession_no
		LEFT JOIN (` + partnersFlat + `) p ON p.code = upper(btrim(i.code))
		LEFT JOIN registry.climate_tolerances t ON t.material = lower(o.material)
		LEFT JOIN (SELECT kind, per_mille, minimum, valid_from, coalesce(valid_to, date '9999-12-31') AS valid_to FROM rates.insurance_rates) a ON a.kind = lower(o.kind) AND l.sent_on BETWEEN a.valid_from AND a.valid_to
		WHERE lower(btrim(l.status)) = 'out' AND c.severity IN ('marked', 'severe')`,
	"joined.room_climate": `SELECT p.room_id, p.name AS room, s.name AS site, upper(p.climate_class) AS climate_class, r.month,
			count(*) AS readings, min(r.humidity) AS driest, max(r.humidity) AS dampest, max(r.lux) AS brightest
		FROM climate.readings r JOIN registry.rooms p ON p.room_id = r.room_id JOIN registry.sites s ON s.site_id = p.site_id
		GROUP BY p.room_id, p.name, s.name, upper(p.climate_class), r.month`,
	"delivery.climate_breach": `SELECT o.accession_no AS object_no, o.title, lower(o.material) AS material, c.site, c.room, c.month,
			c.driest < t.min_humidity AS too_dry, c.dampest > t.max_humidity AS too_damp, c.brightest > t.max_lux AS too_bright
		FROM (SELECT p.room_id, p.name AS room, s.name AS site, r.month, min(r.humidity) AS driest, max(r.humidity) AS dampest, max(r.lux) AS brightest
			FROM climate.readings r JOIN registry.rooms p ON p.room_id = r.room_id JOIN registry.sites s ON s.site_id = p.site_id
			GROUP BY p.room_id, p.name, s.name, upper(p.climate_class), r.month) c
		JOIN registry.objects o ON o.home_room_id = c.room_id JOIN registry.climate_tolerances t ON t.material = lower(o.material)
		WHERE c.driest < t.min_humidity OR c.dampest > t.max_humidity OR c.brightest > t.max_lux`,
	"delivery.premium_by_borrower": `SELECT i.name AS borrower, count(*) AS objects, sum(greatest(n.insured_value * a.per_mille / 1000, a.minimum)) AS premium
		FROM lending.loans l JOIN lending.institutions i ON upper(btrim(i.code)) = upper(btrim(l.institution_code))
		JOIN lending.loan_lines n ON n.loan_id = l.loan_id JOIN registry.objects o ON o.accession_no = n.object_no
		JOIN rates.insurance_rates a ON a.kind = lower(o.kind) AND l.sent_on BETWEEN a.valid_from AND coalesce(a.valid_to, date '9999-12-31')
		WHERE lower(btrim(l.status)) = 'out' GROUP BY i.name`,
	"delivery.insured_value_by_borrower": `SELECT h.code AS institution_code, h.system, count(*) AS lines, sum(h.insured_value) AS insured, avg(h.insured_value) AS average
		FROM (SELECT upper(btrim(l.institution_code)) AS code, n.insured_value, 'current' AS system FROM lending.loans l JOIN lending.loan_lines n ON n.loan_id = l.loan_id
			UNION ALL SELECT upper(btrim(a.borrower)), CASE WHEN a.insured IN ('n/a', 'unknown', 'see file') THEN NULL ELSE CAST(a.insured AS numeric(12,2)) END, 'archive' FROM archive.closed_loans a) h
		GROUP BY h.code, h.system`,
}

// A view, however deep, plans as well as the same query written flat: the
// sources do the same work and send the same rows. Views over one table are
// their own flat form.
func TestDeepViewsPlanAsWellAsFlatQueries(t *testing.T) {
	// What a statement does, apart from the names and order of its columns.
	work := func(text string) string {
		_, rest, _ := strings.Cut(text, "\nFROM ")
		return strings.Join(strings.Fields(rest), " ")
	}
	for _, v := range demo.Views {
		name := v.FullName()
		sql, ok := flat[name]
		if !ok {
			if v.Layer != "intake" {
				t.Errorf("%s is not written flat", name)
				continue
			}
			sql = v.SQL
		}
		deep, err := museum.Now().Explain(t.Context(), queryOf("SELECT * FROM "+name))
		if err != nil {
			t.Fatal(err)
		}
		plain, err := museum.Now().Explain(t.Context(), queryOf(sql))
		if err != nil {
			t.Fatal(err)
		}
		var a, b []string
		for _, s := range deep.Statements {
			a = append(a, s.Source+": "+work(s.Text))
		}
		for _, s := range plain.Statements {
			b = append(b, s.Source+": "+work(s.Text))
		}
		if strings.Join(sorted(a), "\n") != strings.Join(sorted(b), "\n") {
			t.Errorf("%s sends\n  %s\nand the flat query\n  %s", name, strings.Join(a, "\n  "), strings.Join(b, "\n  "))
		}
		holdsLaw(t, sql, false)
	}
}

// A source says how it would run a statement, by index or scan.
func TestSourcesOwnPlans(t *testing.T) {
	plans, err := museum.Runs.SourcePlans(context.Background(), queryOf(`SELECT o.title, l.status, c.days_out FROM registry.objects o
		JOIN lending.loan_lines n ON n.object_no = o.accession_no JOIN lending.loans l ON l.loan_id = n.loan_id JOIN archive.closed_loans c ON c.object_no = o.accession_no WHERE o.object_id = 5`))
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]string{"registry": "Index Scan|Seq Scan|Bitmap", "lending": "table: loan", "archive": "SCAN|SEARCH"}
	for _, p := range plans {
		if !regexp.MustCompile(want[p.Source]).MatchString(strings.Join(p.Lines, "\n")) {
			t.Errorf("%s plans %s", p.Source, p.Lines)
		}
		delete(want, p.Source)
	}
	if len(want) > 0 {
		t.Errorf("no plan of %v", want)
	}
}
