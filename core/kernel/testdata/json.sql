-- JSON. Behind each expression its type and value, or its error.
'{"a": {"b": [1, 2]}}'::json -> 'a' /* json {"b": [1, 2]} */
'{"a": {"b": [1, 2]}}'::jsonb -> 'a' -> 'b' ->> 1 /* text 2 */
'{"a": "x"}'::json ->> 'a' /* text x */
'{"a": null}'::json ->> 'a' /* text null */
'[1, 2, 3]'::jsonb -> -1 /* jsonb 3 */
'{"a": {"b": 7}}'::jsonb #> '{a,b}' /* jsonb 7 */
'{"a": {"b": 7}}'::jsonb #>> '{a,b}' /* text 7 */
json_array_length('[1, 2]') /* integer 2 */
jsonb_array_length('{"a": 1}') /* error 22023 cannot get array length of a non-array */
jsonb_typeof('[1]') /* text array */
json_typeof('null') /* text "null" */
json_extract_path_text('{"a": {"b": "c"}}', 'a', 'b') /* text c */
jsonb_strip_nulls('{"a": null, "b": {"c": null}}') /* jsonb {"b": {}} */
'{"b":1, "a" : 2, "aa":3}'::jsonb /* jsonb {"a": 2, "b": 1, "aa": 3} */
'{"a": 1, "a": 2}'::jsonb /* jsonb {"a": 2} */
'{"a": 1, "b": null}'::jsonb ? 'b' /* boolean true */
'["a", 1]'::jsonb ? 'a' /* boolean true */
'["a", 1]'::jsonb ? '1' /* boolean false */
'"a"'::jsonb ? 'a' /* boolean true */
'{"a": 1}'::jsonb ?| ARRAY['x', NULL, 'a'] /* boolean true */
'{"a": 1}'::jsonb ?& ARRAY['x', 'a'] /* boolean false */
'{"a": 1}'::jsonb ?& ARRAY[NULL, 'a'] /* boolean true */
'{"a": 1}'::jsonb ?& ARRAY[]::text[] /* boolean true */
'{"a": 1, "b": 2}'::jsonb - 'a' /* jsonb {"b": 2} */
'["a", "b", "a", 1]'::jsonb - 'a' /* jsonb ["b", 1] */
'7'::jsonb - 'a' /* error 22023 cannot delete from scalar */
'{"a": 1, "b": 2, "c": 3}'::jsonb - ARRAY['a', 'c', NULL] /* jsonb {"b": 2} */
'["a", "b", "c"]'::jsonb - 1 /* jsonb ["a", "c"] */
'["a", "b", "c"]'::jsonb - -1 /* jsonb ["a", "b"] */
'["a", "b", "c"]'::jsonb - 5 /* jsonb ["a", "b", "c"] */
'{"a": 1}'::jsonb - 1 /* error 22023 cannot delete from object using integer index */
'{"a": {"b": [1, 2, 3]}}'::jsonb #- '{a,b,1}' /* jsonb {"a": {"b": [1, 3]}} */
'{"a": {"b": 1}}'::jsonb #- '{a,x}' /* jsonb {"a": {"b": 1}} */
'{"a": [1]}'::jsonb #- '{a,x}' /* error 22P02 path element at position 2 is not an integer: "x" */
'{"a": 1}'::jsonb #- '{}' /* jsonb {"a": 1} */
'3'::jsonb #- '{a}' /* error 22023 cannot delete path in scalar */
'{"a": [1]}'::jsonb #- '{a,NULL}' /* error 22004 path element at position 2 is null */
jsonb_set('{"a": 1}', '{a}', '[2]') /* jsonb {"a": [2]} */
jsonb_set('{"a": 1}', '{b}', '2') /* jsonb {"a": 1, "b": 2} */
jsonb_set('{"a": 1}', '{b}', '2', false) /* jsonb {"a": 1} */
jsonb_set('{"a": {"b": 1}}', '{a,c}', '"x"') /* jsonb {"a": {"b": 1, "c": "x"}} */
jsonb_set('{"a": 1}', '{b,c}', '2') /* jsonb {"a": 1} */
jsonb_set('[1, 2]', '{5}', '3') /* jsonb [1, 2, 3] */
jsonb_set('[1, 2]', '{-5}', '0') /* jsonb [0, 1, 2] */
jsonb_set('[1, 2]', '{-1}', '0') /* jsonb [1, 0] */
jsonb_set('[1, 2]', '{9}', '0', false) /* jsonb [1, 2] */
jsonb_set('1', '{a}', '0') /* error 22023 cannot set path in scalar */
jsonb_set('{"a": 1}', NULL, '0') /* jsonb null */
jsonb_insert('[1, 2]', '{1}', '9') /* jsonb [1, 9, 2] */
jsonb_insert('[1, 2]', '{1}', '9', true) /* jsonb [1, 2, 9] */
jsonb_insert('[1, 2]', '{-1}', '9', true) /* jsonb [1, 2, 9] */
jsonb_insert('[1, 2]', '{-9}', '9') /* jsonb [9, 1, 2] */
jsonb_insert('{"a": 1}', '{b}', '9') /* jsonb {"a": 1, "b": 9} */
jsonb_insert('{"a": 1}', '{a}', '9') /* error 22023 cannot replace existing key */
jsonb_pretty('{"b": [1, {"c": []}], "a": {}}') /* text "{\n    \"a\": {\n    },\n    \"b\": [\n        1,\n        {\n            \"c\": [\n            ]\n        }\n    ]\n}" */
jsonb_pretty('7') /* text 7 */
'{"a": 1.10}'::jsonb = '{"a": 1.1}'::jsonb /* boolean true */
'{"a": [1, 2]}'::jsonb @> '{"a": [2]}' /* boolean true */
'[1, 2]'::jsonb @> '1' /* boolean true */
'{"a": 1}'::jsonb || '{"b": 2}'::jsonb /* jsonb {"a": 1, "b": 2} */
'[1]'::jsonb || '2'::jsonb /* jsonb [1, 2] */
'{"a": }'::json /* error 22P02 invalid input syntax for type json: unexpected text after byte 6 */
jsonb_build_object('a', 1, 'b', ARRAY[1, 2], 'c', NULL) /* jsonb {"a": 1, "b": [1, 2], "c": null} */
json_build_array(1, 'x', NULL, true) /* json [1, "x", null, true] */
json_build_object('a', 1.5) /* json {"a" : 1.5} */
to_jsonb(1.50) /* jsonb 1.50 */
to_json('a"b') /* error 42883 function to_json(unknown) does not exist */
to_jsonb(timestamp '2024-01-02 03:04:05') /* jsonb "2024-01-02T03:04:05" */
CAST('{"a":1}' AS json) /* json {"a":1} */
json_object('{a, 1, b, null}') /* json {"a" : "1", "b" : null} */
json_object('{a, 1, b}') /* error 2202E array must have even number of elements */
jsonb_object('{a, b}', '{1, 2}') /* jsonb {"a": "1", "b": "2"} */
jsonb_object('{a, b}', '{1}') /* error 2202E mismatched array dimensions */
json_object('{a, null}', '{1, 2}') /* error 22004 null value not allowed for object key */
('{"a": {"b": [7, 8]}}'::jsonb)['a']['b'][1] /* jsonb 8 */
('{"a": {"b": [7, 8]}}'::jsonb)['x']['b'] /* jsonb null */
('[1, 2]'::jsonb)[-1] /* jsonb 2 */
('1.5'::jsonb)::integer /* integer 2 */
('1.5'::jsonb)::numeric /* numeric 1.5 */
('true'::jsonb)::boolean /* boolean true */
('"x"'::jsonb)::boolean /* error 22023 cannot cast jsonb string to type boolean */
('null'::jsonb)::integer /* error 22023 cannot cast jsonb null to type integer */
('70000'::jsonb)::smallint /* error 22003 smallint out of range */
to_json(ROW(1, 'a', NULL)) /* json {"f1":1,"f2":"a","f3":null} */
to_jsonb(ROW(1, ROW(true, 2.50))) /* jsonb {"f1": 1, "f2": {"f1": true, "f2": 2.50}} */
row_to_json(ROW()) /* json {} */
