-- to_char and its inverses. Behind each expression its type and value, or its error.
to_char(timestamp '2024-03-05 14:07:09.0123', 'YYYY-MM-DD HH24:MI:SS.MS US') /* text 2024-03-05 14:07:09.012 012300 */
to_char(date '2024-03-05', 'FMDDth Month YYYY, Dy DY dy; Q D ID DDD WW IW IYYY') /* text 5th March     2024, Tue TUE tue; 1 3 2 065 10 10 2024 */
to_char(timestamp '2024-03-05 00:07:09', 'HH12:MI am "at" Mon FMMM') /* text 12:07 am at Mar 3 */
to_char(date '2024-03-05', 'Day, DD MON YY') /* text Tuesday  , 05 MAR 24 */
to_char(1234.5, '9,999.99') /* text " 1,234.50" */
to_char(-1234.567, '9999.99') /* text -1234.57 */
to_char(0.5, '9.9') /* text "  .5" */
to_char(0, '999') /* text "   0" */
to_char(12, '0000') /* text " 0012" */
to_char(12345, '999') /* text " ###" */
to_char(12.5, 'FM990.99') /* text 12.5 */
to_char(12.0, 'FM990.99') /* text 12. */
to_char(485, 'S999') /* text +485 */
to_char(-485, '999MI') /* text 485- */
to_char(-485, '999PR') /* text <485> */
to_char(1485, '9G999') /* text " 1,485" */
to_char(148.5, '999D999') /* text " 148.500" */
to_char(0.1, '0.99') /* text " 0.10" */
to_char(1234567.891, 'FM9,999,999.00') /* text 1,234,567.89 */
to_date('05 Dec 2000', 'DD Mon YYYY') /* date 2000-12-05 */
to_date('2024-02-30', 'YYYY-MM-DD') /* error 22008 date/time field value out of range: "2024-02-30" */
to_date('20240229', 'YYYYMMDD') /* date 2024-02-29 */
to_timestamp('2024-03-05 02:07 pm', 'YYYY-MM-DD HH12:MI am') /* timestamptz 2024-03-05 14:07:00+00 */
to_number('1,234.5', '9,999.9') /* numeric 1234.5 */
