-- Casts. Behind each expression its type and value, or its error.
CAST(2.5 AS integer) /* integer 3 */
CAST(3.5 AS integer) /* integer 4 */
CAST(-2.5 AS integer) /* integer -3 */
CAST(CAST(2.5 AS double precision) AS integer) /* integer 2 */
CAST(CAST(3.5 AS double precision) AS integer) /* integer 4 */
CAST(1e20 AS bigint) /* error 22003 bigint out of range */
CAST(70000 AS smallint) /* error 22003 smallint out of range */
CAST('12' AS integer) /* integer 12 */
CAST(' 12 ' AS integer) /* integer 12 */
CAST('12.5' AS integer) /* error 22P02 invalid input syntax for type integer: "12.5" */
CAST('abc' AS integer) /* error 22P02 invalid input syntax for type integer: "abc" */
CAST('' AS integer) /* error 22P02 invalid input syntax for type integer: "" */
CAST('99999999999' AS integer) /* error 22003 value "99999999999" is out of range for type integer */
CAST('12.345' AS numeric(6,2)) /* numeric(6,2) 12.35 */
CAST('12.345' AS numeric(3,2)) /* error 22003 numeric field overflow: 12.345 does not fit numeric(3,2) */
CAST(12.345 AS numeric(5,1)) /* numeric(5,1) 12.3 */
CAST('1e3' AS numeric) /* numeric 1000 */
CAST('-.5' AS numeric) /* numeric -0.5 */
CAST('1.' AS numeric) /* numeric 1 */
CAST('x' AS numeric) /* error 22P02 invalid input syntax for type numeric: "x" */
CAST('1.5' AS double precision) /* double precision 1.5 */
CAST('Infinity' AS double precision) /* double precision Infinity */
CAST('NaN' AS double precision) = CAST('NaN' AS double precision) /* boolean true */
CAST('NaN' AS double precision) > CAST('Infinity' AS double precision) /* boolean true */
CAST(1e15 AS double precision) /* double precision 1e+15 */
CAST(123456.789 AS double precision) /* double precision 123456.789 */
CAST(0.00001 AS double precision) /* double precision 1e-05 */
CAST(CAST(0.1 AS double precision) AS numeric) /* numeric 0.1 */
CAST(CAST(1 AS double precision) / 3 AS numeric) /* numeric 0.333333333333333 */
CAST(CAST(1e15 AS double precision) AS text) /* text 1e+15 */
CAST(CAST(0.00012 AS double precision) AS text) /* text 0.00012 */
CAST(1.50 AS text) /* text 1.50 */
CAST(true AS text) /* text true */
CAST('t' AS boolean) /* boolean true */
CAST('off' AS boolean) /* boolean false */
CAST('o' AS boolean) /* error 22P02 invalid input syntax for type boolean: "o" */
CAST('maybe' AS boolean) /* error 22P02 invalid input syntax for type boolean: "maybe" */
CAST(0 AS boolean) /* boolean false */
CAST(true AS integer) /* integer 1 */
CAST('abcdef' AS varchar(3)) /* text abc */
CAST('A0EEBC99-9C0B-4EF8-BB6D-6BB9BD380A11' AS uuid) /* uuid a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11 */
CAST('{a0eebc999c0b4ef8bb6d6bb9bd380a11}' AS uuid) /* uuid a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11 */
CAST('x' AS uuid) /* error 22P02 invalid input syntax for type uuid: "x" */
