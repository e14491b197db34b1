-- Regular expressions, documents with odd escapes and numbers, and exponentials.
SELECT '"\ud83d"'::jsonb
SELECT '"\ud83d\ude00"'::jsonb
SELECT '"\u0000"'::jsonb
SELECT '"\u0000"'::json
SELECT '"\ud83d"'::json
SELECT '1e400'::jsonb
SELECT '1e5'::jsonb, '1.50e2'::jsonb, '1e-3'::jsonb
SELECT power(0.001, 20.0)
SELECT power(0.5, 200.0)
SELECT 1.0 / 3e20
SELECT regexp_replace('abc','b*','X','g')
SELECT regexp_count('aaa','a*')
SELECT substring('xyz123' from 'Y*?([0-9]{1,3})')
SELECT regexp_match('abcd','(a|ab)(c|bcd)(d*)')
SELECT '"\udc00"'::jsonb
SELECT '"\ud83dx\ude00"'::jsonb
SELECT '"\ud83d\n\ude00"'::jsonb
SELECT '"\\ud83d"'::jsonb
SELECT '{"\u0000": 1}'::jsonb
SELECT '{"a": 1e400, "b": [1.0e400]}'::jsonb
SELECT '1e400'::jsonb = '1.0e400'::jsonb, '2e400'::jsonb > '10e399'::jsonb, '-0.0'::jsonb, '-0e5'::jsonb, '1e-50'::jsonb
SELECT '1e131072'::jsonb
SELECT '1e-16384'::jsonb
SELECT '1e-16383'::jsonb
SELECT '12345678901234567890123456789012345678901234567890.10'::jsonb
SELECT to_jsonb('1e300'::float8), to_jsonb('1e-300'::float8), to_json('1e300'::float8), to_jsonb('1.5'::float8), to_jsonb('-0'::float8)
SELECT exp(-40.0), exp(-10.0), exp(1.0), exp(5.5)
SELECT power(1.1, 0.5), power(0.001, 2.5), power(10, -5.0), power(2.5, -3.0)
SELECT regexp_match('xay','(x)(b)?(a|ay)(y*)'), regexp_match('abab','(ab)*'), regexp_match('abcabd','((ab)(c|d))*'), regexp_match('aaa','(a*)(a*)'), regexp_match('aaa','(a*?)(a*)')
SELECT regexp_split_to_array('abc',''), regexp_split_to_array('aXbXXc','X*'), regexp_split_to_array('a,b,,c',','), regexp_split_to_array('','x')
SELECT regexp_replace('abc','(b)','[\1\0\&]'), regexp_replace('foobar','(o)(x)?','<\1\2>','g')
SELECT regexp_replace('aaa','a*?','x','g'), regexp_replace('hello world','\y','|','g'), regexp_count('abab','(?:ab)*'), regexp_instr('xxab','a.*?')
SELECT * FROM regexp_matches('a1b22c333','([a-z])(\d+)','g')
SELECT * FROM regexp_matches('foobarbequebaz', 'ba.', 'g')
SELECT regexp_match('ééa','(é+)(.)'), regexp_match('', '(a*)(b?)'), regexp_match('aa','(a|aa)*'), regexp_match('aabb','(a|ab|b)*'), regexp_match('abc','(a|b|c|ab|bc)*')
SELECT regexp_match('aaa','(a+)*'), regexp_match('aaa','(a*)*'), regexp_match('aaa','(a+)+'), regexp_match('aaa','(a*)+'), regexp_match('b','(a*)*'), regexp_match('aaa', '(a+?)*'), regexp_match('aaa','(a+)?'), regexp_match('b','(a?)?'), regexp_match('b','(a?)??'), regexp_match('aaa','(a+){0,2}'), regexp_match('aaa','(a??)*')
SELECT regexp_match('abc','(?:b??)?(?:(?:a{0,2}?)?(?:c+?ab??){0,2}?b*?)(([^a]?[ab]{0,2}?c?)[^a]?)')
SELECT regexp_match('xabc','x(?:a{0,2}?b*?)(b?c?)'), regexp_match('aab','(?:a*)(?:a*?b*?)(.?)')
SELECT 1e300::float8, -1e300::float8, 1e-300::double precision, 1.5::real, 3::float8, 9007199254740993::float8, 0.1::real
SELECT 1e400::float8
SELECT 1e39::real
SELECT to_jsonb(1e300::float8), to_jsonb(1e-300::float8), to_json(1e300::float8)
SELECT true::float8
SELECT id FROM pg.nasty WHERE f < 1e300::float8 AND f > -1e300::float8
SELECT id FROM ma.nasty WHERE f < 1e300::float8 AND f > -1e300::float8
SELECT regexp_match('aabbcc', '(\w)\1'), regexp_match('abcabcx', '((a|b|c)+)\1'), regexp_replace('hello  wide   sea', '(\s)\1+', '\1', 'g'), 'aXa' ~ '(a)x\1', 'aXA' ~* '(a)x\1'
SELECT '' ~ '^(()\2){2}$', '' ~ '^(a*)\1{2}$', 'aa' ~ '^((a?)\2){2,}$', regexp_match('aaaa', '((a*)\2)*'), regexp_match('abab', '(ab)\1{0}')
SELECT regexp_matches('price 12 eur, 40 usd', '\d+(?= usd)', 'g'), regexp_replace('a1b2', '(?<=[a-z])\d', '#', 'g'), 'foobar' ~ '^(?!foo)', 'barfoo' ~ '(?<!bar)foo', regexp_match('x', '(?=(x))x')
SELECT '\mfoo' ~ 'foo\m', 'foo bar' ~ 'foo\m bar', 'foo bar' ~ 'foo\M bar', 'foo bar' ~ 'foo\M\s\mbar', regexp_replace('foo bar', '\m', '<', 'g'), regexp_replace('foo bar', '\M', '>', 'g')
SELECT regexp_match('XY1234Z', 'Y*?([0-9]{1,3}){1,1}'), regexp_match('XY1234Z', '(?:Y|y)?([0-9]{2,2}?[0-9]*)'), regexp_match('ab', 'a|b*?'), regexp_match('xbbb', '(a|x)b*?')
SELECT regexp_count('ababab', 'ab', 2), regexp_count('ABab', 'ab', 1, 'i'), regexp_instr('ababab', '(a)(b)', 1, 2, 1, '', 2), regexp_substr('ababab', '(a)(b)', 1, 2, '', 2), regexp_substr('abc', 'x'), regexp_replace('ababab', 'ab', 'x', 2), regexp_replace('ababab', 'ab', 'x', 1, 2), regexp_replace('ABAB', 'ab', 'x', 1, 0, 'i')
SELECT regexp_count('abc', 'b', 0)
SELECT regexp_instr('abc', 'b', 1, 1, 2)
SELECT regexp_match('abc', 'b', 'g')
SELECT regexp_replace('abc', 'b', 'x', '1')
SELECT regexp_substr('éab', 'b', 3), regexp_instr('éab', 'b', 4), regexp_instr('éab', 'b', 9), regexp_count('', 'x*', 1), regexp_count('', 'x*', 2)
SELECT * FROM regexp_split_to_table('aXbxc', 'x', 'i')
SELECT regexp_like('a.b', 'a.b', 'q'), regexp_like('axb', 'a.b', 'q'), regexp_like('a b', 'a b', 'x'), regexp_like(E'a\nb', 'a.b', 'p'), regexp_like(E'a\nb', '^b', 'w'), regexp_like(E'a\nb', 'a[^x]b', 'n'), regexp_like(E'a\nb', 'a\Wb', 'n')
SELECT substring('foobar' SIMILAR '#"o_b#"%' ESCAPE '#'), substring('foobar' SIMILAR '%#"o_b#"%' ESCAPE '#'), substring('abcdefg' SIMILAR 'a#"%#"g' ESCAPE '#'), substring('abcdefg' SIMILAR 'a*#"%#"g*' ESCAPE '#'), substring('abcdefg' SIMILAR 'a#"%|ab#"g' ESCAPE '#')
SELECT substring('abc' SIMILAR 'a#"b#"c#"' ESCAPE '#')
SELECT 'a1' SIMILAR TO 'a\d', 'a1' SIMILAR TO 'a#d' ESCAPE '#', 'ad' SIMILAR TO 'a#d' ESCAPE '#', 'ab' SIMILAR TO '(a)(b)', 'a\' SIMILAR TO 'a[\]' ESCAPE '#'
SELECT 'a' ~ '***=a', 'a.' ~ '***=a.', 'ab' ~ '***:a.', 'A' ~ '(?i)a', 'ab' ~ '(?x) a b # comment', 'a+' ~ '(?q)a+', E'a\nb' ~ '(?w)^b$', 'ab' ~ 'a(?#comment)b', 'aa' ~ '^a(?#comment){2}$'
SELECT 'a' ~ '[[:alpha:]]', 'é' ~ '[[:alpha:]]', '_' ~ '[[:word:]]', 'é' ~ '\w', '-' ~ '[a\-z]', ']' ~ '[]]', 'x' ~ '[^]]', 'b' ~ '[[.a.]-c]', 'a' ~ '[[=a=]]', E'\t' ~ '[[:blank:]]', 'é' ~ '[[:ascii:]]'
SELECT 'a' ~ '[[:letters:]]'
SELECT 'a' ~ '(a\1)'
SELECT 'a' ~ 'a{2,1}'
SELECT 'a' ~ '(?z)a'
SELECT 1 NOT /* c */ IN (2, 3), 'a' NOT /* c */ LIKE 'b', 1 NOT /* c */ BETWEEN 2 AND 3, CAST('10:00' AS time /* c */ without time zone)
SELECT x FROM (VALUES (1), (NULL), (2)) v(x) ORDER BY x DESC NULLS /* c */ LAST
SELECT x FROM (VALUES (1), (NULL), (2)) v(x) ORDER BY x NULLS /* c */ FIRST
