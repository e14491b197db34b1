package demo

import "rovik/core/catalog"

// Layers are the story's layers, lowest first.
var Layers = []catalog.Layer{
	{Name: "intake", Description: "One clean view for each table: names, types and codes put right."},
	{Name: "joined", Description: "Business meaning: what belongs together, across sources."},
	{Name: "delivery", Description: "What consumers get."},
}

// Views are the story's views.
var Views = []*catalog.View{
	{Layer: "intake", Name: "object", Description: "Objects of the collection.", SQL: `SELECT
  o.object_id, o.accession_no AS object_no, o.title, lower(o.kind) AS kind, lower(o.material) AS material,
  o.maker_id, o.made_from, o.acquired_on, o.value_estimate, o.fragile, o.home_room_id
FROM registry.objects AS o`},
	{Layer: "intake", Name: "maker", Description: "Makers, with their years as a text.", SQL: `SELECT
  m.maker_id, m.name AS maker, m.country,
  coalesce(CAST(m.born AS text), '?') || '–' || coalesce(CAST(m.died AS text), '?') AS years
FROM registry.makers AS m`},
	{Layer: "intake", Name: "place", Description: "Rooms with their sites.", SQL: `SELECT
  r.room_id, r.name AS room, s.name AS site, s.town, upper(r.climate_class) AS climate_class
FROM registry.rooms AS r
JOIN registry.sites AS s ON s.site_id = r.site_id`},
	{Layer: "intake", Name: "institution", Description: "Borrowers; codes come in any case and with spaces.", Notes: catalog.Notes{Labels: []string{"partners"}, Columns: map[string]catalog.ColumnNote{
		"name": {Description: "The institution's full name.", Labels: []string{"partners"}},
	}}, SQL: `SELECT
  i.institution_id, upper(btrim(i.code)) AS code, i.name, i.country, i.credit_limit
FROM lending.institutions AS i`},
	{Layer: "intake", Name: "loan", Description: "Loans of the current system, status and borrower code cleaned.", SQL: `SELECT
  l.loan_id, l.loan_no, upper(btrim(l.institution_code)) AS institution_code,
  lower(btrim(l.status)) AS status, l.courier_id, l.sent_on, l.due_on, l.returned_on
FROM lending.loans AS l`},
	{Layer: "intake", Name: "loan_line", Description: "Objects of each loan.", Notes: catalog.Notes{Columns: map[string]catalog.ColumnNote{
		"object_no":     {Description: "The object's accession number, as the register writes it."},
		"insured_value": {Description: "What the borrower has insured the object for, for this loan.", Labels: []string{"insurance"}},
	}}, SQL: `SELECT
  n.loan_id, n.line_no, n.object_no, n.insured_value, n.packing
FROM lending.loan_lines AS n`},
	{Layer: "intake", Name: "archived_loan", Description: "Loans closed before the current system; dates and values are text there.", SQL: `SELECT
  a.loan_no, upper(btrim(a.borrower)) AS institution_code, a.object_no,
  CAST(a.loaned_on AS date) AS sent_on, CAST(a.returned_on AS date) AS returned_on,
  CASE WHEN a.insured IN ('n/a', 'unknown', 'see file') THEN NULL
       ELSE CAST(a.insured AS numeric(12,2)) END AS insured_value
FROM archive.closed_loans AS a`},
	{Layer: "intake", Name: "reading", Description: "What the loggers wrote, without the temperatures of failed sensors.", SQL: `SELECT
  r.room_id, r.logger, r.logged_at, r.humidity, r.lux, r.month,
  CASE WHEN r.celsius <> 'NaN' THEN r.celsius END AS celsius
FROM climate.readings AS r`},
	{Layer: "intake", Name: "insurance_rate", Description: "Rates by kind of object; the one in force has no end.", SQL: `SELECT
  a.kind, a.per_mille, a.minimum, a.valid_from, coalesce(a.valid_to, date '9999-12-31') AS valid_to
FROM rates.insurance_rates AS a`},
	{Layer: "intake", Name: "closing_day", Description: "Days on which a town's museums are closed, and until when they are open still.", SQL: `SELECT
  d.town, d.day, coalesce(d.reason, 'unknown') AS reason, d.open_still ->> 'to' AS open_until
FROM calendar.closing_days AS d`},
	{Layer: "intake", Name: "condition_report", Description: "Reports on objects; a severity that was given as a number is put into words.", SQL: `SELECT
  r.report_no, r.object_no, r.inspected_at, r.inspector, r.stable, r.remarks,
  CASE r.severity WHEN '1' THEN 'none' WHEN '2' THEN 'slight' WHEN '3' THEN 'marked' WHEN '4' THEN 'severe'
       ELSE r.severity END AS severity
FROM condition.report AS r`},
	{Layer: "intake", Name: "finding", Description: "What was found on each object.", SQL: `SELECT
  f.report_no, f.position AS finding_no, f.part, lower(f.damage) AS damage, f.extent_mm, coalesce(f.urgent, false) AS urgent
FROM condition.finding AS f`},
	{Layer: "intake", Name: "partner", Description: "Partners that have reported on their rooms.", SQL: `SELECT
  p.code, p.name AS hall, p.inspected_on, p.contact, coalesce(p.fire_alarm, false) AS fire_alarm
FROM facility.partner AS p`},
	{Layer: "intake", Name: "partner_room", Description: "Partners' rooms, with what light and air they keep.", SQL: `SELECT
  r.code, r.position AS room_no, r.name AS room, r.floor, r.max_lux, r.min_humidity, r.max_humidity
FROM facility.partner_room AS r`},
	{Layer: "joined", Name: "open_loan", Description: "Loans that are out, with their borrower.", SQL: `SELECT
  l.loan_id, l.loan_no, l.sent_on, l.due_on, i.name AS borrower, i.country
FROM intake.loan AS l
JOIN intake.institution AS i ON i.code = l.institution_code
WHERE l.status = 'out'`},
	{Layer: "joined", Name: "object_on_loan", Description: "Each object that is on loan, with what it is and who has it.", SQL: `SELECT
  o.object_no, o.title, o.kind, o.material, o.value_estimate,
  l.loan_no, l.borrower, l.country, l.sent_on, l.due_on, n.insured_value
FROM joined.open_loan AS l
JOIN intake.loan_line AS n ON n.loan_id = l.loan_id
JOIN intake.object AS o ON o.object_no = n.object_no
WHERE o.kind = 'print'
  AND l.due_on >= date '2026-01-01'`},
	{Layer: "joined", Name: "latest_condition", Description: "Each object's latest report, with how much was found.", SQL: `SELECT
  c.object_no, c.report_no, c.inspected_at, c.severity, c.stable,
  (SELECT count(*) FROM intake.finding AS f WHERE f.report_no = c.report_no) AS findings
FROM (
  SELECT r.*, row_number() OVER (PARTITION BY r.object_no ORDER BY r.inspected_at DESC, r.report_no DESC) AS nth
  FROM intake.condition_report AS r
  WHERE r.inspected_at IS NOT NULL
) AS c
WHERE c.nth = 1`},
	{Layer: "joined", Name: "partner_climate", Description: "The darkest and driest that each partner can show an object.", SQL: `SELECT
  p.code, p.hall, p.fire_alarm, count(r.room_no) AS rooms, min(r.max_lux) AS darkest, min(r.max_humidity) AS driest
FROM intake.partner AS p
LEFT JOIN intake.partner_room AS r ON r.code = p.code
GROUP BY p.code, p.hall, p.fire_alarm`},
	{Layer: "joined", Name: "room_climate", Description: "Each room's climate by month.", SQL: `SELECT
  p.room_id, p.room, p.site, p.climate_class, r.month,
  count(*) AS readings, min(r.humidity) AS driest, max(r.humidity) AS dampest, max(r.lux) AS brightest
FROM intake.reading AS r
JOIN intake.place AS p ON p.room_id = r.room_id
GROUP BY p.room_id, p.room, p.site, p.climate_class, r.month`},
	{Layer: "joined", Name: "loan_history", Description: "Current and archived loans of each object as one.", SQL: `SELECT n.object_no, l.loan_no, l.institution_code, l.sent_on, l.returned_on, n.insured_value, 'current' AS system
FROM intake.loan AS l
JOIN intake.loan_line AS n ON n.loan_id = l.loan_id
UNION ALL
SELECT a.object_no, a.loan_no, a.institution_code, a.sent_on, a.returned_on, a.insured_value, 'archive'
FROM intake.archived_loan AS a`},
	{Layer: "delivery", Name: "loan_risk", Description: "Prints on loan with their climate tolerance and the gap in their insurance.", SQL: `SELECT
  r.object_no, r.title, r.borrower, r.country, r.due_on, r.material,
  t.max_lux, t.max_humidity,
  coalesce(r.value_estimate, 0) - coalesce(r.insured_value, 0) AS uninsured
FROM joined.object_on_loan AS r
LEFT JOIN registry.climate_tolerances AS t ON t.material = r.material`},
	{Layer: "delivery", Name: "fit_to_travel", Description: "Objects on loan with their latest condition, whether the borrower keeps the light low enough, and a year's premium.", SQL: `SELECT
  o.object_no, o.title, o.material, i.name AS borrower, l.due_on,
  c.severity, c.findings, p.hall, p.darkest, t.max_lux, p.darkest <= t.max_lux AS dark_enough,
  greatest(n.insured_value * a.per_mille / 1000, a.minimum) AS premium
FROM intake.loan AS l
JOIN intake.institution AS i ON i.code = l.institution_code
JOIN intake.loan_line AS n ON n.loan_id = l.loan_id
JOIN intake.object AS o ON o.object_no = n.object_no
JOIN joined.latest_condition AS c ON c.object_no = o.object_no
LEFT JOIN joined.partner_climate AS p ON p.code = i.code
LEFT JOIN registry.climate_tolerances AS t ON t.material = o.material
LEFT JOIN intake.insurance_rate AS a ON a.kind = o.kind AND l.sent_on BETWEEN a.valid_from AND a.valid_to
WHERE l.status = 'out'
  AND c.severity IN ('marked', 'severe')`},
	{Layer: "delivery", Name: "uninsured_by_country", Description: "Prints on loan worth more than they are insured for, by country.", SQL: `SELECT
  r.country, count(*) AS objects, sum(r.uninsured) AS uninsured, max(r.due_on) AS last_due
FROM delivery.loan_risk AS r
WHERE r.uninsured > 0
GROUP BY r.country
ORDER BY uninsured DESC`},
	{Layer: "delivery", Name: "climate_breach", Description: "Objects whose home room was too dry, too damp or too bright for their material, by month.", SQL: `SELECT
  o.object_no, o.title, o.material, c.site, c.room, c.month,
  c.driest < t.min_humidity AS too_dry, c.dampest > t.max_humidity AS too_damp, c.brightest > t.max_lux AS too_bright
FROM joined.room_climate AS c
JOIN intake.object AS o ON o.home_room_id = c.room_id
JOIN registry.climate_tolerances AS t ON t.material = o.material
WHERE c.driest < t.min_humidity OR c.dampest > t.max_humidity OR c.brightest > t.max_lux`},
	{Layer: "delivery", Name: "premium_by_borrower", Description: "What a year's insurance of the objects on loan costs, by borrower.", SQL: `SELECT
  i.name AS borrower, count(*) AS objects,
  sum(greatest(n.insured_value * a.per_mille / 1000, a.minimum)) AS premium
FROM intake.loan AS l
JOIN intake.institution AS i ON i.code = l.institution_code
JOIN intake.loan_line AS n ON n.loan_id = l.loan_id
JOIN intake.object AS o ON o.object_no = n.object_no
JOIN intake.insurance_rate AS a ON a.kind = o.kind AND l.sent_on BETWEEN a.valid_from AND a.valid_to
WHERE l.status = 'out'
GROUP BY i.name`},
	{Layer: "delivery", Name: "insured_value_by_borrower", Description: "What each borrower has had insured, now and before.", SQL: `SELECT
  h.institution_code, h.system, count(*) AS lines, sum(h.insured_value) AS insured, avg(h.insured_value) AS average
FROM joined.loan_history AS h
GROUP BY h.institution_code, h.system`},
}
