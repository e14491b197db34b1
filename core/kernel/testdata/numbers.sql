-- Numbers: operators and mathematical functions. Behind each expression its type and value, or its error.
1 + 2 /* integer 3 */
7 / 2 /* integer 3 */
-7 / 2 /* integer -3 */
7 % -3 /* integer 1 */
-7 % 3 /* integer -1 */
2147483647 + 1 /* error 22003 integer out of range */
-2147483648 - 1 /* error 22003 integer out of range */
9223372036854775807 + 1 /* error 22003 bigint out of range */
CAST(32767 AS smallint) + CAST(1 AS smallint) /* error 22003 smallint out of range */
CAST(-32768 AS smallint) / CAST(-1 AS smallint) /* error 22003 smallint out of range */
-(-2147483648) /* bigint 2147483648 */
abs(-5) /* integer 5 */
abs(-5.50) /* numeric 5.50 */
1 / 0 /* error 22012 division by zero */
1.0 / 0 /* error 22012 division by zero */
1 % 0 /* error 22012 division by zero */
5.5 % 0 /* error 22012 division by zero */
CAST(1 AS double precision) / 0 /* error 22012 division by zero */
1.5 + 2.25 /* numeric 3.75 */
1.50 - 1.5 /* numeric 0.00 */
0.1 + 0.2 /* numeric 0.3 */
1.10 * 1.10 /* numeric 1.2100 */
1.0 / 3 /* numeric 0.33333333333333333333 */
2.0 / 3 /* numeric 0.66666666666666666667 */
10 / 4.0 /* numeric 2.5000000000000000 */
1 / 3.0 /* numeric 0.33333333333333333333 */
100000.0 / 7 /* numeric 14285.714285714286 */
0.0001 / 3 /* numeric 0.000033333333333333333333 */
123456789.123 / 0.0007 /* numeric 176366841604.28571429 */
5 / 0.00001 /* numeric 500000.000000000000 */
-1.0 / 3 /* numeric -0.33333333333333333333 */
99999999999999.0 / 3 /* numeric 33333333333333.0000 */
0.0 / 5 /* numeric 0.00000000000000000000 */
1e10 / 3 /* numeric 3333333333.33333333 */
12345678901234567890 * 2 /* numeric 24691357802469135780 */
round(2.5) /* numeric 3 */
round(-2.5) /* numeric -3 */
round(3.5) /* numeric 4 */
round(1234.567, 2) /* numeric 1234.57 */
round(1234.567, -2) /* numeric 1200 */
round(-1234.5678, 3) /* numeric -1234.568 */
trunc(1234.567, 1) /* numeric 1234.5 */
trunc(-1.9) /* numeric -1 */
floor(-1.5) /* numeric -2 */
ceil(-1.5) /* numeric -1 */
ceiling(1.2) /* numeric 2 */
floor(7) /* double precision 7 */
sign(-3.2) /* numeric -1 */
sign(0.0) /* numeric 0 */
mod(10, 3) /* integer 1 */
mod(-10.5, 3) /* numeric -1.5 */
round(CAST(2.5 AS double precision)) /* double precision 2 */
round(CAST(3.5 AS double precision)) /* double precision 4 */
power(2, 10) /* double precision 1024 */
power(2.0, 3) /* numeric 8.0000000000000000 */
power(2.5, 0.5) /* numeric 1.5811388300841897 */
power(0, -1) /* error 2201F zero raised to a negative power is undefined */
power(-8, 0.5) /* error 2201F a negative number raised to a non-integer power yields a complex result */
2 ^ 3 /* double precision 8 */
2.0 ^ -2 /* numeric 0.2500000000000000 */
exp(1) /* double precision 2.718281828459045 */
exp(1.0) /* numeric 2.7182818284590452 */
exp(-3.5) /* numeric 0.03019738342231850 */
ln(2) /* double precision 0.6931471805599453 */
ln(2.0) /* numeric 0.6931471805599453 */
ln(0.0) /* error 2201E cannot take logarithm of zero */
ln(-1.0) /* error 2201E cannot take logarithm of a negative number */
ln(1.05) /* numeric 0.048790164169432003 */
ln(123456.789) /* numeric 11.723646487185881 */
log(100) /* double precision 2 */
log(1000.0) /* numeric 3.0000000000000000 */
log(2.0, 64.0) /* numeric 6.0000000000000000 */
log10(5.0) /* numeric 0.6989700043360188 */
sqrt(2.0) /* numeric 1.414213562373095 */
sqrt(15241.0) /* numeric 123.4544450394557 */
sqrt(0.0004) /* numeric 0.02000000000000000 */
sqrt(-1.0) /* error 2201F cannot take square root of a negative number */
cbrt(27) /* double precision 3 */
sin(0.5) /* double precision 0.479425538604203 */
cos(0.5) /* double precision 0.8775825618903728 */
tan(0.5) /* double precision 0.5463024898437905 */
asin(2) /* error 22003 input is out of range */
acos(0.5) /* double precision 1.0471975511965976 */
atan2(1, 2) /* double precision 0.4636476090008061 */
degrees(1) /* double precision 57.29577951308232 */
radians(90) /* double precision 1.5707963267948966 */
sinh(1) /* double precision 1.1752011936438014 */
pi() /* double precision 3.141592653589793 */
div(7, 2) /* numeric 3 */
div(-7.5, 2) /* numeric -3 */
div(1.0, 0) /* error 22012 division by zero */
gcd(12, 18) /* integer 6 */
gcd(-4, 6) /* integer 2 */
lcm(4, 6) /* integer 12 */
factorial(10) /* numeric 3628800 */
factorial(-1) /* error 22003 factorial of a negative number is undefined */
scale(1.500) /* integer 3 */
min_scale(1.500) /* integer 1 */
trim_scale(1.500) /* numeric 1.5 */
width_bucket(5.35, 0.024, 10.06, 5) /* integer 3 */
width_bucket(-1, 0, 10, 5) /* integer 0 */
width_bucket(1, 0, 0, 5) /* error 2201G lower bound cannot equal upper bound */
5 & 3 /* integer 1 */
5 | 3 /* integer 7 */
5 # 3 /* integer 6 */
~5 /* integer -6 */
1 << 4 /* integer 16 */
-16 >> 2 /* integer -4 */
@ (-5) /* integer 5 */
|/ 16 /* double precision 4 */
|/ 4.0 /* double precision 2 */
||/ 27.0 /* double precision 3 */
|/ 2.5 + 1 /* double precision 1.8708286933869707 */
CAST(1.5 AS real) + CAST(2.25 AS real) /* real 3.75 */
CAST(1.1 AS real) /* real 1.1 */
CAST(1.1 AS real) + 1.1 /* double precision 2.200000023841858 */
CAST(CAST(1.1 AS real) AS double precision) /* double precision 1.100000023841858 */
CAST(1.1 AS real) = CAST(1.1 AS double precision) /* boolean false */
CAST(CAST(0.1 AS real) AS numeric) /* numeric 0.1 */
CAST(1e39 AS real) /* error 22003 "1e39" is out of range for type real */
CAST(1234567.0 AS real) /* real 1.234567e+06 */
CAST('1e-50' AS real) /* error 22003 "1e-50" is out of range for type real */
abs(CAST(-1.5 AS real)) /* real 1.5 */
