-- What a text gets wrong: its code, the part, the message and the hint, behind that part.
SELECT kind FROM registry.objects UNION SELECT kind, made FROM registry.objects /* 42601 at SELECT kind FROM registry.objects UNION SELECT kind, made FROM registry.objects: each UNION query must have the same number of columns, here 1 and 2 */
SELECT q.b /* 42703 at q.b: no column is called "q.b" | did you mean q.a? */ FROM (SELECT 1 AS a) AS q
SELECT q.a /* 42703 at q.a: no column is called "q.a" | did you mean q.b? */ FROM (SELECT 1 AS a) AS q(b)
SELECT q.a FROM (SELECT 1 /* 42P10 at SELECT 1: "q" has 1 columns available but 2 columns specified */ AS a) AS q(b, c)
WITH w AS (SELECT 1 AS a), w /* 42712 at w: WITH query name "w" specified more than once | give one of them another name */ AS (SELECT 2 AS a) SELECT * FROM w
WITH RECURSIVE w AS (SELECT 1 AS a UNION ALL SELECT 'x' /* 22P02 at SELECT 'x': invalid input syntax for type integer: "x" */) SELECT * FROM w
WITH RECURSIVE w AS (SELECT a FROM w /* 42P19 at SELECT a FROM w: recursive query "w" does not have the form non-recursive-term UNION [ALL] recursive-term */) SELECT * FROM w
SELECT (SELECT 1, 2) /* 42601 at (SELECT 1, 2): subquery must return only one column */
SELECT kind FROM registry.objects WHERE made IN (SELECT made, kind FROM registry.objects) /* 42601 at made IN (SELECT made, kind FROM registry.objects): subquery has too many columns */
SELECT kind FROM registry.objects o JOIN registry.objects p USING (nothing) /* 42703 at registry.objects o JOIN registry.objects p USING (nothing): column "nothing" specified in USING clause does not exist in left table */
SELECT kind FROM registry.objects o JOIN intake.twice p USING (kind) /* 42702 at registry.objects o JOIN intake.twice p USING (kind): common column name "kind" appears more than once in right table */
SELECT sum(kind) /* 42883 at sum(kind): function sum(text) does not exist */ FROM registry.objects
SELECT sum(made, made) /* 42883 at sum(made, made): function sum(smallint, smallint) does not exist */ FROM registry.objects
SELECT sum(DISTINCT made) OVER () /* 0A000 at sum(DISTINCT made) OVER (): DISTINCT is not implemented for window functions */ FROM registry.objects
SELECT rank() /* 42P20 at rank(): window function rank requires an OVER clause */ FROM registry.objects
SELECT kind FROM registry.objects WHERE rank() OVER () /* 42P20 at rank() OVER (): window functions are not allowed in WHERE */ = 1
SELECT rank() OVER w /* 42704 at w: window "w" does not exist */ FROM registry.objects
SELECT rank() OVER (ORDER BY rank() OVER () /* 42P20 at rank() OVER (): window function calls cannot be nested */) FROM registry.objects
SELECT lower(kind) FILTER (WHERE made > 1) /* 42809 at lower(kind) FILTER (WHERE made > 1): lower is not an aggregate function */ FROM registry.objects
SELECT count(*) FILTER (WHERE made /* 42804 at made: argument of FILTER must be type boolean, not type smallint */) FROM registry.objects
SELECT made FROM registry.objects GROUP BY made HAVING kind /* 42803 at kind: column "kind" must appear in the GROUP BY clause or be used in an aggregate function */ > 'a'
SELECT made FROM registry.objects GROUP BY 5 /* 42P10 at 5: position 5 is not in the select list */
SELECT made FROM registry.objects ORDER BY nothing /* 42703 at nothing: no column is called "nothing" */
SELECT made FROM registry.objects OFFSET 'x' /* 22P02 at 'x': invalid input syntax for type bigint: "x" */
SELECT made FROM registry.objects LIMIT 1.5 /* 42804 at 1.5: type numeric does not turn into bigint by itself | write CAST(… AS bigint) */
SELECT coalesce(made, 'x' /* 22P02 at 'x': invalid input syntax for type smallint: "x" */) FROM registry.objects
SELECT nullif(made, kind) /* 42883 at nullif(made, kind): operator does not exist: smallint = text | cast one side to the type of the other */ FROM registry.objects
SELECT made BETWEEN 'a' /* 22P02 at 'a': invalid input syntax for type smallint: "a" */ AND 'b' FROM registry.objects
SELECT made LIKE 'x' /* 42883 at made LIKE 'x': operator does not exist: smallint LIKE unknown | cast one side to the type of the other */ FROM registry.objects
SELECT NOT made /* 42804 at made: argument of NOT must be type boolean, not type smallint */ FROM registry.objects
SELECT kind /* 42804 at kind: argument of AND must be type boolean, not type text */ AND true FROM registry.objects
SELECT -kind /* 42883 at -kind: operator does not exist: - text | cast one side to the type of the other */ FROM registry.objects
SELECT made || 1 /* 42883 at made || 1: operator does not exist: smallint || integer | cast one side to the type of the other */ FROM registry.objects
SELECT ARRAY[1, 'x' /* 22P02 at 'x': invalid input syntax for type integer: "x" */]
SELECT ARRAY[] /* 42P18 at ARRAY[]: cannot determine type of empty array | explicitly cast to the desired type, for example ARRAY[]::integer[] */
SELECT (ARRAY[1])['x' /* 22P02 at 'x': invalid input syntax for type integer: "x" */]
SELECT made /* 42804 at made: cannot subscript type smallint because it does not support subscripting */[1] FROM registry.objects
SELECT date '2024-02-30' /* 22008 at date '2024-02-30': date/time field value out of range: "2024-02-30" */
SELECT 'x'::integer /* 22P02 at 'x'::integer: invalid input syntax for type integer: "x" */
SELECT 99999999999::integer /* 22003 at 99999999999::integer: integer out of range */
SELECT round(made, kind) /* 42883 at round(made, kind): function round(smallint, text) does not exist | there is round(numeric) and round(numeric, integer) and round(double precision) */ FROM registry.objects
SELECT o.* /* 42P01 at o.*: nothing in FROM is called "o" | did you mean p? */ FROM registry.objects p
SELECT * /* 42601 at *: SELECT * with no tables specified is not valid */
SELECT count(*) FROM registry.objects WHERE made = ANY (kind /* 42809 at kind: op ANY/ALL (array) requires array on right side */)
SELECT (1, 2) = (1, 2, 3) /* 42601 at (1, 2) = (1, 2, 3): unequal number of entries in row expressions */
SELECT made FROM registry.objects WHERE (made, kind) IN (VALUES (1)) /* 42601 at (made, kind) IN (VALUES (1)): subquery has too few columns */
VALUES (1, 2), (3) /* 42601 at VALUES (1, 2), (3): VALUES lists must all be the same length */
SELECT CASE made WHEN 'x' /* 22P02 at 'x': invalid input syntax for type smallint: "x" */ THEN 1 END FROM registry.objects
SELECT CASE WHEN made /* 42804 at made: argument of CASE/WHEN must be type boolean, not type smallint */ THEN 1 END FROM registry.objects
SELECT DISTINCT ON (kind) /* 42P10 at DISTINCT ON (kind): SELECT DISTINCT ON expressions must match initial ORDER BY expressions */ kind FROM registry.objects ORDER BY made
SELECT kind FROM registry.objects, LATERAL (SELECT made FROM registry.objects WHERE nothing /* 42703 at nothing: no column is called "nothing" */ = kind) AS q
SELECT q.kind FROM registry.objects o, (SELECT o.kind /* 42P01 at o.kind: nothing in FROM is called "o" */) AS q
SELECT * FROM nothing(1) /* 42883 at nothing(1): function nothing(integer) does not exist */ AS f
SELECT string_agg(made, ',') /* 42883 at string_agg(made, ','): function string_agg(smallint, unknown) does not exist */ FROM registry.objects
SELECT grouping(kind) /* 42803 at grouping(kind): arguments to GROUPING must be grouping expressions of the associated query level */ FROM registry.objects
SELECT lag(kind, 'x') OVER (ORDER BY made) /* 42883 at lag(kind, 'x') OVER (ORDER BY made): function lag(text, unknown) does not exist */ FROM registry.objects
SELECT sum(made) OVER (RANGE BETWEEN 1 PRECEDING AND CURRENT ROW) /* 42P20 at (RANGE BETWEEN 1 PRECEDING AND CURRENT ROW): RANGE with offset PRECEDING/FOLLOWING requires exactly one ORDER BY column */ FROM registry.objects
SELECT exists(SELECT 1) + 1 /* 42883 at exists(SELECT 1) + 1: operator does not exist: boolean + integer | cast one side to the type of the other */
SELECT interval '1 potato' /* 22007 at interval '1 potato': invalid input syntax for type interval: "1 potato" | write it like '1 month 3 days 04:05:06' */
SELECT timestamp '2024-01-01' + 1 /* 42883 at timestamp '2024-01-01' + 1: operator does not exist: timestamp + integer | cast one side to the type of the other */
SELECT date '2024-01-01' - 'x' /* 22007 at 'x': invalid input syntax for type date: "x" | write dates as YYYY-MM-DD */
SELECT jsonb '{' /* 22P02 at jsonb '{': invalid input syntax for type json: EOF */
SELECT kind -> 'a' /* 42883 at kind -> 'a': operator does not exist: text -> unknown | cast one side to the type of the other */ FROM registry.objects
SELECT true > 1 /* 42883 at true > 1: operator does not exist: boolean > integer | cast one side to the type of the other */
SELECT made /* 42804 at made: argument of IS TRUE must be type boolean, not type smallint */ IS TRUE FROM registry.objects
SELECT nothing.x /* 42P01 at nothing.x: nothing in FROM is called "nothing" | there is objects */ FROM registry.objects
SELECT registry.objects.nothing /* 42703 at registry.objects.nothing: no column is called "registry.objects.nothing" */ FROM registry.objects
SELECT * FROM registry.nothing /* 42P01 at registry.nothing: no table or view is called "registry.nothing" | names are source.table or layer.view */
SELECT * FROM nowhere.objects /* 42P01 at nowhere.objects: no table or view is called "nowhere.objects" | names are source.table or layer.view */
SELECT * FROM objects /* 42P01 at objects: no table or view is called "objects" | did you mean registry.objects? */
SELECT object_id FROM registry.objects, registry.objects /* 42712 at registry.objects: table name "objects" specified more than once | give one of them an alias */
SELECT title /* 42702 at title: column reference "title" is ambiguous | say which table it belongs to */ FROM registry.objects o, registry.objects p
SELECT o.title FROM registry.objects AS o JOIN registry.makers AS o ON true /* 42712 at registry.objects AS o JOIN registry.makers AS o ON true: table name "o" specified more than once | give one of them an alias */
SELECT m.name FROM registry.objects o JOIN registry.makers m ON m.maker_id /* 42804 at m.maker_id: argument of JOIN/ON must be type boolean, not type integer */
SELECT count(*) FROM registry.objects WHERE count(*) /* 42803 at count(*): aggregate functions are not allowed in WHERE */ > 1
SELECT kind /* 42803 at kind: column "kind" must appear in the GROUP BY clause or be used in an aggregate function */, count(*) FROM registry.objects
SELECT kind /* 42803 at kind: column "kind" must appear in the GROUP BY clause or be used in an aggregate function */ FROM registry.objects GROUP BY made
SELECT sum(count(*) /* 42803 at count(*): aggregate function calls cannot be nested */) FROM registry.objects
SELECT * /* 42803 at *: column "object_id" must appear in the GROUP BY clause or be used in an aggregate function */ FROM registry.objects GROUP BY kind
SELECT kind FROM registry.objects ORDER BY 2 /* 42P10 at 2: position 2 is not in the select list */
SELECT kind FROM registry.objects LIMIT made /* 42703 at made: no column is called "made" */
SELECT kind FROM registry.objects WHERE title /* 42804 at title: argument of WHERE must be type boolean, not type text */
SELECT kind /* 42803 at kind: column "kind" must appear in the GROUP BY clause or be used in an aggregate function */ FROM registry.objects HAVING made > 1
SELECT title + 1 /* 42883 at title + 1: operator does not exist: text + integer | cast one side to the type of the other */ FROM registry.objects
SELECT title = made /* 42883 at title = made: operator does not exist: text = smallint | cast one side to the type of the other */ FROM registry.objects
SELECT made = 'abc' /* 22P02 at 'abc': invalid input syntax for type smallint: "abc" */ FROM registry.objects
SELECT made IN (1, 'two' /* 22P02 at 'two': invalid input syntax for type smallint: "two" */) FROM registry.objects
SELECT acquired_on = 'yesterday-ish' /* 22007 at 'yesterday-ish': invalid input syntax for type date: "yesterday-ish" | write dates as YYYY-MM-DD */ FROM registry.objects
SELECT CASE WHEN made > 1 THEN 1 ELSE 'x' /* 22P02 at 'x': invalid input syntax for type integer: "x" */ END FROM registry.objects
SELECT CASE WHEN made > 1 THEN title /* 42804 at title: CASE types integer and text cannot be matched | cast one of them */ ELSE 1 END FROM registry.objects
SELECT title FROM registry.objects UNION SELECT made FROM registry.objects /* 42804 at SELECT title FROM registry.objects UNION SELECT made FROM registry.objects: UNION types text and smallint cannot be matched (column 1, title) | cast one of them */
SELECT title FROM registry.objects UNION ALL SELECT title FROM registry.objects ORDER BY made /* 0A000 at made: ORDER BY on a set operation takes output columns by name or number | put it into a subquery */
SELECT lower(made) /* 42883 at lower(made): function lower(smallint) does not exist | there is lower(text) */ FROM registry.objects
SELECT lower() /* 42883 at lower(): function lower() does not exist | there is lower(text) */ FROM registry.objects
SELECT lower(title, kind) /* 42883 at lower(title, kind): function lower(text, text) does not exist | there is lower(text) */ FROM registry.objects
SELECT lowr(title) /* 42883 at lowr(title): no function is called "lowr" | did you mean lower? */ FROM registry.objects
SELECT substring(title, 'x', 'y', 'z') /* 42883 at substring(title, 'x', 'y', 'z'): function substring(text, unknown, unknown, unknown) does not exist | there is substring(text, text) and substring(text, text, text) and substring(text, integer) and substring(text, integer, integer) and … */ FROM registry.objects
SELECT round(title) /* 42883 at round(title): function round(text) does not exist | there is round(numeric) and round(numeric, integer) and round(double precision) */ FROM registry.objects
SELECT CAST(title AS colour) /* 42704 at CAST(title AS colour): type "colour" is not supported yet | there is boolean, smallint, integer, bigint, numeric, double precision, text, date, timestamp, timestamptz, interval, real, char, time, uuid, bytea, json, jsonb */ FROM registry.objects
SELECT CAST(acquired_on AS integer) /* 42846 at CAST(acquired_on AS integer): cannot cast type date to integer */ FROM registry.objects
SELECT CAST(made AS date) /* 42846 at CAST(made AS date): cannot cast type smallint to date */ FROM registry.objects
SELECT row_number() OVER (ORDER BY nothing /* 42703 at nothing: no column is called "nothing" */) FROM registry.objects
SELECT ntile('x') OVER () /* 42883 at ntile('x') OVER (): function ntile(unknown) does not exist */ FROM registry.objects
SELECT first_value() OVER () /* 42883 at first_value() OVER (): function first_value() does not exist */ FROM registry.objects
SELECT percentile_cont(0.5) /* 42809 at percentile_cont(0.5): percentile_cont is an ordered-set aggregate exactly where WITHIN GROUP (ORDER BY one value) follows it | write percentile_cont(…) WITHIN GROUP (ORDER BY …) */ FROM registry.objects
SELECT mode() WITHIN GROUP (ORDER BY kind, made) /* 42809 at mode() WITHIN GROUP (ORDER BY kind, made): mode is an ordered-set aggregate exactly where WITHIN GROUP (ORDER BY one value) follows it | write mode(…) WITHIN GROUP (ORDER BY …) */ FROM registry.objects
SELECT string_agg(title) /* 42883 at string_agg(title): function string_agg(text) does not exist */ FROM registry.objects
SELECT array_agg(DISTINCT title ORDER BY made /* 42P10 at made: in an aggregate with DISTINCT, ORDER BY expressions must appear in argument list */) FROM registry.objects
SELECT kind FROM intake.object AS o WHERE o.made /* 42703 at o.made: no column is called "o.made" */ > 1
SELECT * FROM joined.print WHERE made /* 42703 at made: no column is called "made" */ > 1
SELECT * FROM (SELECT 1 AS a, 2 AS a) AS q WHERE a /* 42702 at a: column reference "a" is ambiguous | say which table it belongs to */ = 1
SELECT q.* FROM (VALUES (1), ('x' /* 22P02 at 'x': invalid input syntax for type integer: "x" */)) AS q(a)
SELECT * FROM registry.objects NATURAL JOIN registry.nothing /* 42P01 at registry.nothing: no table or view is called "registry.nothing" | names are source.table or layer.view */
SELECT x /* 42703 at x: no column is called "x" | did you mean y? */ FROM generate_series(1, 3) AS s(y)
SELECT * FROM generate_series('a' /* 22P02 at 'a': invalid input syntax for type integer: "a" */, 'b') AS s(y)
SELECT unnest(made) /* 42883 at unnest(made): function unnest(smallint) does not exist */ FROM registry.objects
SELECT kind FROM registry.objects WHERE EXISTS (SELECT nothing /* 42703 at nothing: no column is called "nothing" */ FROM registry.makers)
SELECT kind FROM registry.objects WHERE made > ALL (SELECT name FROM registry.makers) /* 42883 at made > ALL (SELECT name FROM registry.makers): operator does not exist: smallint > text | cast one side to the type of the other */
SELECT kind FROM registry.objects WHERE kind LIKE 5 /* 42883 at kind LIKE 5: operator does not exist: text LIKE integer | cast one side to the type of the other */
SELECT DISTINCT ON (1, 2 /* 42P10 at 2: position 2 is not in the select list */) kind FROM registry.objects
SELECT 1 AS a INTERSECT SELECT 'x' /* 22P02 at SELECT 'x': invalid input syntax for type integer: "x" */
SELECT make_date(2024, 2, dayy => 3 /* 42883 at 3: function make_date has no parameter "dayy" | there is year, month, day */)
SELECT make_date(year => 2024, 2 /* 42601 at 2: positional argument cannot follow named argument */, 3)
SELECT make_date(2024, year => 2 /* 42601 at 2: argument name "year" used more than once */, day => 3)
SELECT make_date(year => 2024) /* 42883 at make_date(year => 2024): make_date takes month too */
SELECT lower(x => 'a') /* 0A000 at lower(x => 'a'): arguments of lower are not given by name | give them in their order */
SELECT * FROM json_to_recordset('[]') AS t(a integer /* 0A000 at integer: an array among defined columns is not supported | define it as jsonb, and take it apart */[])
SELECT * FROM json_to_recordset('[]') AS t(a varchar(3) /* 0A000 at varchar(3): a length of a defined column is not supported | define it as text, and cast it */)
SELECT * FROM json_to_recordset('[]', 1) /* 42883 at json_to_recordset('[]', 1): json_to_recordset takes one argument */ AS t(a integer)
SELECT * FROM generate_series(1, 2) /* 42601 at generate_series(1, 2): a column definition list is only allowed for functions returning "record" | as json_to_recordset(…) AS t(a integer, b text) */ AS t(a integer)
SELECT json_agg(q /* 0A000 at q: the row of q may be missing in an outer join, and no column tells | name the columns that are wanted, as json_build_object('a', q.a) */) FROM registry.objects o LEFT JOIN (SELECT 1 AS a) q ON true
SELECT upper(o /* 0A000 at o: the row of o is no value here | name a column of it, or write to_json(o) */) FROM registry.objects o
SELECT interval '1 fortnight' /* 22007 at interval '1 fortnight': invalid input syntax for type interval: "1 fortnight" | write it like '1 month 3 days 04:05:06' */ hour
SELECT CAST(kind AS interval hour) /* 0A000 at CAST(kind AS interval hour): an interval is cut to fields where it is a constant | use date_trunc */ FROM registry.objects
SELECT date 'infinitely' /* 22007 at date 'infinitely': invalid input syntax for type date: "infinitely" | write dates as YYYY-MM-DD */
SELECT timestamp '2024-01-01 12:00 Nowhere/Town' /* 22023 at timestamp '2024-01-01 12:00 Nowhere/Town': time zone "nowhere/town" not recognized */
