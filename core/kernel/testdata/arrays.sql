-- Arrays. Behind each expression its type and value, or its error.
ARRAY[1, 2, 3] /* integer[] {1,2,3} */
ARRAY[1, 2.5] /* numeric[] {1,2.5} */
ARRAY['a', NULL] /* text[] {a,NULL} */
(ARRAY[1, 2, 3])[2] /* integer 2 */
(ARRAY[1, 2, 3])[9] /* integer null */
(ARRAY[1, 2, 3])[2:3] /* integer[] {2,3} */
array_length(ARRAY[1, 2], 1) /* integer 2 */
array_length(ARRAY[]::integer[], 1) /* integer null */
cardinality(ARRAY[1, 2]) /* integer 2 */
array_append(ARRAY[1, 2], 3) /* integer[] {1,2,3} */
array_prepend(0, ARRAY[1, 2]) /* integer[] {0,1,2} */
array_cat(ARRAY[1], ARRAY[2]) /* integer[] {1,2} */
ARRAY[1] || ARRAY[2, 3] /* integer[] {1,2,3} */
ARRAY[1] || 2 /* integer[] {1,2} */
0 || ARRAY[1] /* integer[] {0,1} */
array_position(ARRAY['a', 'b'], 'b') /* integer 2 */
array_positions(ARRAY[1, 2, 1], 1) /* integer[] {1,3} */
array_remove(ARRAY[1, 2, 1], 1) /* integer[] {2} */
array_replace(ARRAY[1, 2, 1], 1, 9) /* integer[] {9,2,9} */
array_to_string(ARRAY[1, NULL, 3], ',') /* text 1,3 */
array_to_string(ARRAY[1, NULL, 3], ',', '?') /* text 1,?,3 */
string_to_array('a,b,,c', ',') /* text[] {a,b,"",c} */
string_to_array('a,b', NULL) /* text[] {a,",",b} */
string_to_array('a,b,,c', ',', '') /* text[] {a,b,NULL,c} */
trim_array(ARRAY[1, 2, 3], 1) /* integer[] {1,2} */
ARRAY[1, 2] @> ARRAY[2] /* boolean true */
ARRAY[2] <@ ARRAY[1, 2] /* boolean true */
ARRAY[1, 2] && ARRAY[2, 3] /* boolean true */
ARRAY[1, 2] = ARRAY[1, 2] /* boolean true */
ARRAY[1, NULL] = ARRAY[1, NULL] /* boolean true */
ARRAY[1, 2] < ARRAY[1, 3] /* boolean true */
2 = ANY (ARRAY[1, 2]) /* boolean true */
2 = ANY (ARRAY[1, NULL]) /* boolean null */
2 <> ALL (ARRAY[1, 3]) /* boolean true */
NULL = ANY (ARRAY[1]) /* boolean null */
'abc' LIKE ANY (ARRAY['x%', 'a%']) /* boolean true */
'abc' NOT LIKE ALL (ARRAY['x%', 'y%']) /* boolean true */
CAST('{1,2,NULL}' AS integer[]) /* integer[] {1,2,NULL} */
CAST('{"a b",c}' AS text[]) /* text[] {"a b",c} */
CAST('{1,x}' AS integer[]) /* error 22P02 invalid input syntax for type integer: "x" */
CAST(ARRAY[1, 2] AS text) /* text {1,2} */
CAST(ARRAY['1', '2'] AS integer[]) /* integer[] {1,2} */
