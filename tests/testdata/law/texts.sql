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
