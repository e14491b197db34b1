package main

import (
	"strings"

	"github.com/spf13/cobra"
)

// manual is what --help says of a command beside its flags: how it works, and examples.
type manual struct{ long, examples string }

// manuals are the commands' manuals, by their names behind "rovik".
var manuals = map[string]manual{
	"": {`Rovik joins tables across databases by layered views, folds as much of each query as is safe into
the sources' own statements, and says piece by piece what it did and why.

A project lives in the folder that --home names. Errors go to standard error with the line, the
column and a caret, and exit with 1; wrong usage exits with 2.`,
		`rovik demo
rovik query "SELECT * FROM delivery.loan_risk LIMIT 10" --home .demo/home
rovik explain "SELECT count(*) FROM joined.object_on_loan" --home .demo/home
rovik query "SELECT 1 AS one" --memory 2G --plan-limit 30s --time-limit 10m`},
	"serve": {`Serve the page and its API until interrupted. Only this machine can reach the address unless
--unsafe-open is given. The printed address has a token in it, which the page keeps; the API takes it as
Authorization: Bearer, and the file token of the home has it.`,
		`rovik serve
rovik serve --addr 127.0.0.1:9000 --home ~/museum
rovik serve --secrets /etc/rovik/secrets --check-every 15m --log debug`},
	"records": {`The records are what Rovik keeps of a project: sources, layers, views and their revisions, past
runs. They are the file records.db in the folder of --home. Copies are in its folder backups: one is
made a day, and one before a newer Rovik changes the records' form; the last five are kept.`,
		`rovik records check --home .demo/home`},
	"records check": {`Look at all of the records, and at what of them could not be read. The copies that there are
are listed. Exit 1 where something is wrong.`,
		`rovik records check`},
	"demo": {`Start private databases with the data of the fictional Saltmarsh Museums, set up the project,
and serve it. Ctrl-C stops all. Where PostgreSQL, MariaDB or the document server are missing,
SQLite files stand in for them.`,
		`rovik demo
rovik demo --scale 0.1 --dir /tmp/museum
rovik demo --embedded`},
	"query": {`Run a query and print its rows. SQL is PostgreSQL's; names are source.table and layer.view.
Numbers of exact types and times are text in JSON, and lose nothing.`,
		`rovik query "SELECT title, kind FROM registry.objects LIMIT 5"
rovik query "SELECT * FROM delivery.loan_risk" --format parquet > risk.parquet
rovik query 'SELECT title FROM registry.objects WHERE kind = $1 AND object_id < $2' --param print --param 40
rovik query "SELECT count(*) FROM lending.loans" --report report.json
rovik query "SELECT max(taken_at) FROM climate.readings" --fold off`},
	"explain": {`Say what a query would do, without reading data: the native statement of each source, which
pieces fold into it, and for the others why not and what would help. With --run the query runs,
and the numbers are those of the run.`,
		`rovik explain "SELECT * FROM joined.object_on_loan WHERE borrower = 'HARBOUR'"
rovik explain "SELECT count(*) FROM lending.loans" --run --format json
rovik explain "SELECT count(*) FROM lending.loans" --source-plan
rovik explain "SELECT count(*) FROM lending.loans" --rewrites`},
	"lineage": {`Say which columns of sources each column of a view carries the values of, and which influence
it; or, with --downstream, which views read it.`,
		`rovik lineage delivery.loan_risk
rovik lineage delivery.loan_risk.insured_value --format csv
rovik lineage intake.object --downstream
rovik lineage registry.objects.kind --graph downstream`},
	"impact": {`Say what depends on a column, a table or a view, and what would break if it went, were renamed
or had another type; or which verdicts depend on a quirk of a source.`,
		`rovik impact registry.objects.kind
rovik impact registry.objects.kind --if type --type integer
rovik impact lending --quirk "binary collation without padding"`},
	"check": {`Bind every view. With DIR the views are those of a project's files, over the sources that are
connected, and every mistake is printed with its file, line and column. Nothing is changed.`,
		`rovik check
rovik check ./museum-project`},
	"export": {`Write the project as files into a folder: one with the SQL of each view, YAML for layers and
sources. The same project always gives the same files, so that they can be kept under version
control. Passwords that Rovik keeps are not among them.`,
		`rovik export ./museum-project`},
	"import": {`Show how the files of a project differ from it. With --apply the project becomes what they say:
sources first, then layers and views, all or none.`,
		`rovik import ./museum-project
rovik import ./museum-project --apply`},
	"rename": {`Show what another name of a view or of a column changes in every text that reads it, and with
--apply do it. What would mean something else is refused.`,
		`rovik rename intake.object.kind medium
rovik rename intake.object.kind medium --through --apply --message "the word of the trade"
rovik rename intake.object intake.work --apply`},
	"source": {`Connect sources and look after them.`,
		`rovik source list
rovik source test lending`},
	"source list": {`List the sources with their tables, columns, keys and measured quirks.`, `rovik source list`},
	"source add": {`Connect a source: read its catalogue, measure its quirks and keep it. Nothing is kept where
that fails.`,
		`rovik source add lending mariadb --host db.example --database lending --user reader --secret env:LENDING_PASSWORD
rovik source add registry --connection postgresql://reader@db.example/registry --password -
rovik source add archive sqlite --path /data/archive.db
rovik source add climate parquet --path /data/climate`},
	"source test": {`Take the steps to a source one by one up to the one that fails, and read its catalogue. Nothing
is changed.`, `rovik source test lending`},
	"source refresh": {`Read a source's catalogue and measure its quirks anew. What is found counts from now on.`, `rovik source refresh lending`},
	"source retype": {`Read a column of files as another type than was proposed, or as proposed again where no type is
given. Every value has to fit. A column that was left out can be read as text; a numeric of any number of digits as
text, or as numeric with NULL for what has more than 38 digits.`,
		`rovik source retype rates rates percent "numeric"
rovik source retype rates rates percent`},
	"source shape": {`Show how nested records become tables, propose a shape from a sample, or keep one.`,
		`rovik source shape condition
rovik source shape condition reports --propose > reports.json
rovik source shape condition reports --file reports.json`},
	"source limit": {`Bound what a source is asked for at a time. A flag that is not given stands for the usual.`, `rovik source limit lending --connections 4 --silence 30`},
	"source key": {`Declare that columns of a table are unique or, with --to, that they hold keys of another table.
That is measured, and refused where it does not hold.`,
		`rovik source key archive closed_loans loan_no
rovik source key lending loan_lines object_no --to registry.objects --references accession_no
rovik source key archive closed_loans loan_no --drop`},
	"source remove": {`Forget a source and its password. Views that read it are named, and it stays, unless --force is
given.`, `rovik source remove archive`},
}

// document gives a command and those below it their manuals.
func document(cmd *cobra.Command) {
	name := strings.TrimPrefix(strings.TrimPrefix(cmd.CommandPath(), "rovik"), " ")
	if m, ok := manuals[name]; ok {
		cmd.Long = m.long
		cmd.Example = "  " + strings.ReplaceAll(m.examples, "\n", "\n  ")
	}
	for _, c := range cmd.Commands() {
		document(c)
	}
}
