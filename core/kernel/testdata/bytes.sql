-- Bytes, degrees and normal forms. Behind each expression its type and value, or its error.
substring('\x0102030405'::bytea, 2, 3) /* bytea \x020304 */
substring('\x0102030405'::bytea, 4) /* bytea \x0405 */
substring('\x0102030405'::bytea, -1, 3) /* bytea \x01 */
substring('\x0102'::bytea, 1, -1) /* error 22011 negative substring length not allowed */
overlay('\x01020304'::bytea PLACING '\xff'::bytea FROM 2) /* bytea \x01ff0304 */
overlay('\x01020304'::bytea PLACING '\xffee'::bytea FROM 2 FOR 3) /* bytea \x01ffee */
overlay('\x01020304'::bytea PLACING '\xff'::bytea FROM 0) /* error 22011 negative substring length not allowed */
position('\x0304'::bytea IN '\x01020304'::bytea) /* integer 3 */
position('\x09'::bytea IN '\x01020304'::bytea) /* integer 0 */
btrim('\x0001020100'::bytea, '\x0001'::bytea) /* bytea \x02 */
ltrim('\x0001020100'::bytea, '\x0001'::bytea) /* bytea \x020100 */
rtrim('\x0001020100'::bytea, '\x0001'::bytea) /* bytea \x000102 */
'\x61ff62'::bytea LIKE 'a_b'::bytea /* boolean true */
'\x61ffff62'::bytea LIKE 'a_b'::bytea /* boolean false */
bit_length('\x0102'::bytea) /* integer 16 */
bit_count('\xff01'::bytea) /* bigint 9 */
set_byte('\x0102'::bytea, 1, 255) /* bytea \x01ff */
set_byte('\x0102'::bytea, 2, 255) /* error 2202E index 2 out of valid range, 0..1 */
get_bit('\x05'::bytea, 2) /* integer 1 */
get_bit('\x05'::bytea, 8) /* error 2202E index 8 out of valid range, 0..7 */
set_bit('\x05'::bytea, 1, 1) /* bytea \x07 */
set_bit('\x05'::bytea, 1, 2) /* error 22023 new bit must be 0 or 1 */
sha224(''::bytea) /* bytea \xd14a028c2a3a2bc9476102bb288234c415a2b01f828ea62ac5b3e42f */
sind(30) /* double precision 0.49999999999999994 */
sind(-390) /* double precision -0.49999999999999994 */
cosd(60) /* double precision 0.5000000000000001 */
cosd(120) /* double precision -0.5000000000000001 */
tand(135) /* double precision -1 */
cotd(45) /* double precision 1 */
asind(0.5) /* double precision 30 */
asind(2) /* error 22003 input is out of range */
acosd(-0.5) /* double precision 120 */
atand(1) /* double precision 45 */
atan2d(1, -1) /* double precision 135 */
sind('Infinity') /* error 22003 input is out of range */
gcd(12.5, 7.5) /* numeric 2.5 */
gcd(0.0, 0) /* numeric 0.0 */
lcm(1.5, 2) /* numeric 6.0 */
lcm(0, 1.50) /* numeric 0.00 */
gcd('NaN'::numeric, 1) /* numeric NaN */
is_normalized('e') /* boolean true */
is_normalized('e', 'x') /* error 22023 invalid normalization form: x */
unistr('d\0061t\+000061 \u0041 \\') /* text data A \ */
unistr('\d83d\de00') /* text 😀 */
unistr('\d83d') /* error 42601 invalid Unicode surrogate pair */
unistr('\00') /* error 42601 invalid Unicode escape */
