-- Conditions, NULL and choices between values. Behind each expression its type and value, or its error.
NULL AND false /* boolean false */
NULL AND true /* boolean null */
NULL OR true /* boolean true */
NOT NULL /* boolean null */
NULL = NULL /* boolean null */
NULL IS NULL /* boolean true */
1 IS NOT NULL /* boolean true */
NULL IS DISTINCT FROM NULL /* boolean false */
1 IS DISTINCT FROM NULL /* boolean true */
1 IS NOT DISTINCT FROM 1 /* boolean true */
(NULL = 1) IS TRUE /* boolean false */
(NULL = 1) IS NOT TRUE /* boolean true */
(1 = 1) IS FALSE /* boolean false */
true > false /* boolean true */
1 IN (1, 2) /* boolean true */
3 IN (1, 2) /* boolean false */
3 IN (1, NULL) /* boolean null */
1 IN (1, NULL) /* boolean true */
NULL IN (1, 2) /* boolean null */
3 NOT IN (1, NULL) /* boolean null */
1.0 IN (1, 2) /* boolean true */
'a' IN ('b', 'a') /* boolean true */
2 BETWEEN 1 AND 3 /* boolean true */
2 NOT BETWEEN 3 AND 1 /* boolean true */
coalesce(NULL, NULL, 3) /* integer 3 */
coalesce(NULL, 'x') /* text x */
coalesce(1, 1 / 0) /* integer 1 */
nullif(1, 1) /* integer null */
nullif(1, 2) /* integer 1 */
nullif('a', 'b') /* text a */
greatest(1, 3, 2) /* integer 3 */
greatest(1, NULL, 2.5) /* numeric 2.5 */
least('b', 'a', NULL) /* text a */
least(NULL, NULL) /* text null */
CASE WHEN 1 > 2 THEN 'a' WHEN NULL THEN 'b' ELSE 'c' END /* text c */
CASE 3 WHEN 1 THEN 'one' WHEN 3 THEN 'three' END /* text three */
CASE WHEN false THEN 1 / 0 ELSE 2 END /* integer 2 */
CASE WHEN true THEN 1 ELSE 2.5 END /* numeric 1 */
CASE WHEN false THEN 1 END /* integer null */
num_nulls(1, NULL, 'x') /* integer 1 */
num_nonnulls(1, NULL, 'x') /* integer 2 */
greatest(1, NULL, 3) /* integer 3 */
least('b', 'a') /* text a */
5 BETWEEN SYMMETRIC 9 AND 1 /* boolean true */
'a' COLLATE "C" < 'B' /* boolean false */
