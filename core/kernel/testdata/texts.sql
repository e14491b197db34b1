-- Text and bytes: comparison, functions. Behind each expression its type and value, or its error.
'a' = 'A' /* boolean false */
'a' = 'a ' /* boolean false */
'a' < 'B' /* boolean false */
'é' > 'z' /* boolean true */
'' < 'a' /* boolean true */
'abc' || 'def' /* text abcdef */
'abc' || NULL /* text null */
'a' || 1 /* text a1 */
concat('a', NULL, 1, 2.50) /* text a12.50 */
lower('ÀBC') /* text Àbc */
upper('straße') /* text STRAßE */
initcap('hello wORLD-foo 2bar') /* text Hello World-Foo 2bar */
length('größe') /* integer 5 */
length('') /* integer 0 */
char_length('abc') /* integer 3 */
octet_length('é') /* integer 2 */
substring('hello', 2, 3) /* text ell */
substring('hello', 0, 3) /* text he */
substring('hello', -2, 5) /* text he */
substring('hello', 2) /* text ello */
substring('hello', 9) /* text "" */
substring('hello', 2, -1) /* error 22011 negative substring length not allowed */
substring('hello' FROM 2 FOR 2) /* text el */
substr('größe', 3, 2) /* text öß */
left('hello', 2) /* text he */
left('hello', -2) /* text hel */
left('hello', 0) /* text "" */
right('hello', 2) /* text lo */
right('hello', -2) /* text llo */
right('größe', 2) /* text ße */
btrim('  a b  ') /* text a b */
btrim('xxaxx', 'x') /* text a */
ltrim('xyxa', 'xy') /* text a */
rtrim('a  ') /* text a */
trim(both 'x' FROM 'xax') /* text a */
replace('banana', 'an', 'o') /* text booa */
replace('banana', '', 'o') /* text banana */
strpos('banana', 'nan') /* integer 3 */
strpos('größe', 'ß') /* integer 4 */
position('z' IN 'abc') /* integer 0 */
lpad('7', 3, '0') /* text 007 */
lpad('hello', 3) /* text hel */
rpad('ab', 5, 'xy') /* text abxyx */
lpad('a', -1) /* text "" */
split_part('a,b,c', ',', 2) /* text b */
split_part('a,b,c', ',', -1) /* text c */
split_part('a,b,c', ',', 9) /* text "" */
split_part('a,b,c', ',', 0) /* error 22023 field position must not be zero */
repeat('ab', 3) /* text ababab */
repeat('ab', -1) /* text "" */
reverse('größe') /* text eßörg */
ascii('é') /* integer 233 */
starts_with('hello', 'he') /* boolean true */
chr(65) /* text A */
chr(8364) /* text € */
chr(0) /* error 54000 null character not permitted */
translate('hello', 'el', 'ip') /* text hippo */
translate('12345', '143', 'ax') /* text a2x5 */
overlay('Txxxxas' placing 'hom' from 2 for 4) /* text Thomas */
overlay('abcdef' placing 'Z' from 3) /* text abZdef */
bit_length('é') /* integer 16 */
md5('abc') /* text 900150983cd24fb0d6963f7d28e17f72 */
to_hex(255) /* text ff */
to_hex(-1) /* text ffffffff */
quote_literal('it''s \ ok') /* text E'it''s \\ ok' */
quote_ident('Odd name') /* text "\"Odd name\"" */
quote_ident('select') /* text "\"select\"" */
quote_nullable(NULL) /* text NULL */
concat_ws(', ', 'a', NULL, 1, true) /* text a, 1, t */
concat_ws(NULL, 'a', 'b') /* text null */
concat('a', true, 1.50) /* text at1.50 */
format('%s and %I and %L %%', 'a', 'B c', 'it''s') /* text "a and \"B c\" and 'it''s' %" */
format('%2$s %1$s|%5s|%-5s|', 'a', 'b', 'c', 'd') /* text b a|    b|c    | */
format('%s', NULL) /* text "" */
format('%z', 1) /* error 22023 unrecognized format() type specifier "z" */
encode('\x00ff41'::bytea, 'hex') /* text 00ff41 */
encode('hello world'::bytea, 'base64') /* text aGVsbG8gd29ybGQ= */
encode('\x00ff41'::bytea, 'escape') /* text \000\377A */
decode('00ff', 'hex') /* bytea \x00ff */
decode('zz', 'hex') /* error 22023 the text is not valid hex data */
decode('aGk=', 'base64') /* bytea \x6869 */
'\xDEAD'::bytea || '\xBEEF'::bytea /* bytea \xdeadbeef */
length('\x0102'::bytea) /* integer 2 */
get_byte('\x0102'::bytea, 1) /* integer 2 */
get_byte('\x0102'::bytea, 5) /* error 2202E index 5 out of valid range, 0..1 */
sha256('abc'::bytea) /* bytea \xba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad */
'\x01'::bytea < '\x02'::bytea /* boolean true */
convert_from('\xc3a9'::bytea, 'UTF8') /* text é */
ascii('') /* integer 0 */
starts_with('abc', 'ab') /* boolean true */
'abc' ^@ 'ab' /* boolean true */
CAST('abc  ' AS char(5)) = 'abc' /* boolean true */
CAST('abc' AS char(5)) || 'x' /* text abcx */
length(CAST('abc' AS char(5))) /* integer 3 */
CAST('abcdef' AS char(3)) = 'abc' /* boolean true */
