package tests

import (
	"context"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"rovik/core/function"
	"rovik/core/value"
)

// foreignFunctions lists the immutable functions of PostgreSQL that a query may call, over types
// that there are here, each with its arguments' types. Left out are what implements an operator, a
// cast, an aggregate, an index or a type: these have a form of their own in SQL.
const foreignFunctions = `
SELECT p.proname, ARRAY(SELECT t.typname FROM unnest(p.proargtypes) WITH ORDINALITY a(oid, n) JOIN pg_type t ON t.oid = a.oid ORDER BY n)::text[], p.provariadic <> 0
FROM pg_proc p
WHERE p.provolatile = 'i' AND p.prokind = 'f' AND p.pronamespace = 'pg_catalog'::regnamespace
  AND obj_description(p.oid, 'pg_proc') NOT LIKE 'implementation of %'
  AND p.prorettype <> 'void'::regtype
  AND NOT EXISTS (SELECT FROM pg_amproc WHERE amproc = p.oid)
  AND NOT EXISTS (SELECT FROM pg_aggregate WHERE p.oid IN (aggtransfn, aggfinalfn, aggcombinefn, aggserialfn, aggdeserialfn, aggmtransfn, aggminvtransfn, aggmfinalfn))
  AND NOT EXISTS (SELECT FROM pg_type WHERE p.oid IN (typinput, typoutput, typreceive, typsend, typmodin, typmodout))
  AND NOT EXISTS (SELECT FROM unnest(p.proargtypes) a JOIN pg_type t ON t.oid = a WHERE t.typname <> ALL ($1))
ORDER BY 1, 2`

const foreignOperators = `
SELECT oprname, CASE WHEN oprleft = 0 THEN ARRAY[r.typname]::text[] ELSE ARRAY[l.typname, r.typname]::text[] END, false
FROM pg_operator o LEFT JOIN pg_type l ON l.oid = oprleft JOIN pg_type r ON r.oid = oprright JOIN pg_proc p ON p.oid = o.oprcode
WHERE p.provolatile = 'i' AND (oprleft = 0 OR l.typname = ANY ($1)) AND r.typname = ANY ($1)
ORDER BY 1, 2`

// foreignTypes are the types of PostgreSQL's catalogue that there are here, with constants of each.
var foreignTypes = func() map[string][]string {
	out := map[string][]string{
		"_int4": {"{}", "{1,2,NULL,2}", "{NULL}", "{-1,2147483647}"}, "_text": {"{}", "{a,b,NULL}", `{"x y",b}`, "{a,1}", "{a}"}, "_numeric": {"{}", "{1.50,NaN}"},
		"jsonpath": {"$", "$.a", "$.a[*]", "$[*] ? (@ > 1)", "strict $.b", "$.**"},
	}
	for name, k := range map[string]value.Kind{"bool": value.Bool, "int2": value.Int2, "int4": value.Int4, "int8": value.Int8, "numeric": value.Numeric, "float4": value.Float4,
		"float8": value.Float8, "text": value.Text, "varchar": value.Text, "bpchar": value.Char, "date": value.Date, "time": value.Time, "timestamp": value.Timestamp,
		"timestamptz": value.TimestampTZ, "interval": value.Interval, "uuid": value.UUID, "bytea": value.Bytea, "json": value.JSON, "jsonb": value.JSONB} {
		out[name] = extremes[k]
	}
	return out
}()

// stands are the types that polymorphic ones stand for in turn.
var stands = map[string][]string{
	"anyelement": {"int4", "text", "numeric"}, "anycompatible": {"int4", "text", "numeric"}, "anynonarray": {"int4", "text", "numeric"}, "anycompatiblenonarray": {"int4", "text", "numeric"},
	"anyarray": {"_int4", "_text", "_numeric"}, "anycompatiblearray": {"_int4", "_text", "_numeric"}, "any": {"int4", "text", "jsonb"},
}

// foreignCall is an overload of PostgreSQL's.
type foreignCall struct {
	name     string
	args     []string
	operator bool
	variadic bool
}

func (f foreignCall) String() string {
	if f.operator {
		return strings.Join(slices.Insert(slices.Clone(f.args), len(f.args)-1, f.name), " ")
	}
	return f.name + "(" + strings.Join(f.args, ", ") + ")"
}

// write writes a call with given arguments.
func (f foreignCall) write(args []string) string {
	if f.operator {
		return "(" + strings.Join(slices.Insert(slices.Clone(args), len(args)-1, f.name), " ") + ")"
	}
	list := strings.Join(args, ", ")
	switch {
	case f.name == "overlaps":
		return fmt.Sprintf("(%s, %s) OVERLAPS (%s, %s)", args[0], args[1], args[2], args[3])
	case f.variadic:
		list = strings.Join(args[:len(args)-1], ", ") + ", VARIADIC " + args[len(args)-1]
		list = strings.TrimPrefix(list, ", ")
	}
	return `pg_catalog."` + f.name + `"(` + list + ")"
}

// typed returns what an argument is called on each side: a constant of a type.
func (f foreignCall) typed(r *rand.Rand) []string {
	pick := r.IntN(3)
	args := make([]string, len(f.args))
	for i, typ := range f.args {
		if all := stands[typ]; all != nil {
			typ = all[pick]
		}
		if typ == "_any" || typ == "any" {
			typ = "_text"
		}
		text := foreignTypes[typ][r.IntN(len(foreignTypes[typ]))]
		if elem, array := strings.CutPrefix(typ, "_"); array {
			typ = elem + "[]"
		}
		args[i] = "CAST(" + quoted(text) + " AS " + typ + ")"
		if r.IntN(16) == 0 {
			args[i] = "CAST(NULL AS " + typ + ")"
		}
	}
	return args
}

// foreignCatalogue reads PostgreSQL's functions and operators over the types that there are here.
func foreignCatalogue(t *testing.T) (out []foreignCall) {
	var types []string
	for typ := range foreignTypes {
		types = append(types, typ)
	}
	for typ := range stands {
		types = append(types, typ)
	}
	for _, query := range []string{foreignFunctions, foreignOperators} {
		rows, err := reference.Query(context.Background(), query, types)
		if err != nil {
			t.Fatal(err)
		}
		for rows.Next() {
			f := foreignCall{operator: query == foreignOperators}
			if err := rows.Scan(&f.name, &f.args, &f.variadic); err != nil {
				t.Fatal(err)
			}
			out = append(out, f)
		}
		if err := rows.Err(); err != nil {
			t.Fatal(err)
		}
	}
	return out
}

// missing reports that a call does not exist here.
func missing(err error) bool {
	return err != nil && (value.Code(err) == value.CodeUndefinedFunc || value.Code(err) == value.CodeUnsupported)
}

// Every immutable function and operator of PostgreSQL over the types that there are here is here and
// agrees over generated arguments, or is listed as refused with the reason; docs/functions.md lists both.
// ROVIK_WRITE=1 writes that file.
func TestPostgreSQLsCatalogueIsHereOrRefused(t *testing.T) {
	ctx := context.Background()
	catalogue := foreignCatalogue(t)
	if len(catalogue) < 600 {
		t.Fatalf("PostgreSQL has only %d functions and operators", len(catalogue))
	}
	defer func() { exactly = false }()
	here, refused := map[string][]string{}, map[string]string{}
	var names []string
	for _, f := range catalogue {
		why := function.Refused(f.name, f.args)
		seed := fnv.New64()
		fmt.Fprint(seed, f)
		r := rand.New(rand.NewPCG(seed.Sum64(), 1))
		for i := range 14 {
			sql := "SELECT " + f.write(f.typed(r)) + " AS x LIMIT 20" // rows of a set may have no end
			exactly = !slices.ContainsFunc(nearly, func(n string) bool { return n == f.name+"(" }) && f.name != "||/"
			got, cols := ours(ctx, museum, sql, false)
			if i == 0 && missing(got.err) && (why != "" || !limited(got.err) && theirs(ctx, sql, nil).class != got.class) {
				if why == "" {
					t.Errorf("%s is neither here nor refused with a reason: %v", f, got.err)
				}
				refused[f.String()] = why
				break
			}
			if i == 0 {
				if why != "" {
					t.Errorf("%s is here, and listed as refused: %s", f, why)
				}
				if here[f.name] == nil {
					names = append(names, f.name)
				}
				here[f.name] = append(here[f.name], f.String())
			}
			if unlike[f.name] != "" || limited(got.err) {
				continue
			}
			want := theirs(ctx, sql, cols)
			if d := difference(got, want, false); d != "" {
				t.Errorf("%s: %s", sql, d)
			}
		}
	}
	var doc strings.Builder
	doc.WriteString("# PostgreSQL's functions and operators\n\nThe immutable ones over the types that there are here, as PostgreSQL's catalogue lists them. A test calls each with generated\n" +
		"arguments and compares it with PostgreSQL, and writes this list (`ROVIK_WRITE=1 go test ./tests -run Catalogue`).\n\n## Here\n\n")
	for _, n := range names {
		fmt.Fprintf(&doc, "- `%s`\n", strings.Join(here[n], "` `"))
	}
	doc.WriteString("\n## Refused\n\n| | why |\n|---|---|\n")
	for _, f := range catalogue {
		if why, is := refused[f.String()]; is {
			fmt.Fprintf(&doc, "| `%s` | %s |\n", strings.ReplaceAll(f.String(), "|", `\|`), strings.ReplaceAll(why, "|", `\|`))
		}
	}
	const file = "../docs/functions.md"
	if os.Getenv("ROVIK_WRITE") != "" {
		if err := os.WriteFile(file, []byte(doc.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if have, err := os.ReadFile(file); err != nil || string(have) != doc.String() {
		t.Errorf("docs/functions.md is not what the catalogue gives: run with ROVIK_WRITE=1 (%v)", err)
	}
}
