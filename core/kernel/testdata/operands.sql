-- Operands without a type, and those that do not fit. Behind each expression its type and value, or its error.
'5' + 3 /* integer 8 */
'5' = 5 /* boolean true */
1 = 1.0 /* boolean true */
CAST(1 AS smallint) = 1 /* boolean true */
true = 1 /* error 42883 operator does not exist: boolean = integer */
1 + 'x' /* error 22P02 invalid input syntax for type integer: "x" */
'a' + 'b' /* error 42725 + of untyped literals could mean several things */
lower(5) /* error 42883 function lower(integer) does not exist */
nosuch(1) /* error 42883 function nosuch(integer) does not exist */
