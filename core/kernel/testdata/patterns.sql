-- LIKE and regular expressions. Behind each expression its type and value, or its error.
'hello' LIKE 'h%o' /* boolean true */
'hello' LIKE 'h_llo' /* boolean true */
'hello' LIKE '%l%l%' /* boolean true */
'hello' LIKE 'H%' /* boolean false */
'hello' ILIKE 'H%O' /* boolean true */
'ÀB' ILIKE 'àb' /* boolean false */
'100%' LIKE '100\%' /* boolean true */
'100x' LIKE '100\%' /* boolean false */
'a_b' LIKE 'a!_b' ESCAPE '!' /* boolean true */
'axb' LIKE 'a!_b' ESCAPE '!' /* boolean false */
'a\b' LIKE 'a\\b' /* boolean true */
'' LIKE '%' /* boolean true */
'' LIKE '_' /* boolean false */
'größe' LIKE 'gr__e' /* boolean true */
'abc' NOT LIKE 'b%' /* boolean true */
NULL LIKE 'a' /* boolean null */
'aXbXc' LIKE '%X%X_' /* boolean true */
regexp_replace('foobarbaz', 'b..', 'X') /* text fooXbaz */
regexp_replace('foobarbaz', 'b..', 'X', 'g') /* text fooXX */
regexp_replace('foobarbaz', 'b(..)', 'X\1Y', 'g') /* text fooXarYXazY */
regexp_replace('Hello', 'L', 'r', 'gi') /* text Herro */
regexp_match('foobarbequebaz', '(bar)(beque)') /* text[] {bar,beque} */
regexp_match('abc', 'x') /* text[] null */
regexp_match('abc', 'b') /* text[] {b} */
regexp_split_to_array('a1b22c', '\d+') /* text[] {a,b,c} */
regexp_count('banana', 'an') /* integer 2 */
regexp_like('Hello', 'hel', 'i') /* boolean true */
regexp_substr('banana', 'n.') /* text na */
regexp_instr('banana', 'n') /* integer 3 */
substring('foobar' from 'o(.)b') /* text o */
substring('foobar' from 'x') /* text null */
'abc' ~ 'B' /* boolean false */
'abc' ~* 'B' /* boolean true */
'É' ~* 'é' /* boolean false */
'abc' !~ '^a' /* boolean false */
'a.c' ~ 'a\.c' /* boolean true */
'ab' ~ '(' /* error 2201B invalid regular expression: parentheses () not balanced */
'abc' SIMILAR TO '%(b|d)%' /* boolean true */
'abc' SIMILAR TO 'a' /* boolean false */
'foo bar' ~ '\mbar\M' /* boolean true */
