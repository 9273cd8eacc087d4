"""FEEL against OMG's Decision Model and Notation 1.5: the examples of its tables of built-in functions (66 to 78) and cases for
each operator of clause 10.3.2.

The text of the standard cannot be fetched where this is developed: all values are from memory of it, by table, except where
a comment names another source. Each line is an expression and the expression that gives the same.
"""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.feel import FUNCTIONS, Env, Scope, compiled, evaluate, read_tests
from kelvix.core.feel.values import write

NOW = datetime(2026, 11, 25, 9, 0, tzinfo=UTC)

CASES = r"""
# Clause 10.3.2.4 equality, table 53 and after: null only equals null, other types are unknown
1 = 1                                           -> true
1.0 = 1.00                                      -> true
null = null                                     -> true
1 = null                                        -> false
1 = "1"                                         -> null
"a" = "a"                                       -> true
"a" = "A"                                       -> false
true = true                                     -> true
[1, 2] = [1, 2]                                 -> true
[1, 2] = [2, 1]                                 -> false
[] = []                                         -> true
{a: 1, b: 2} = {b: 2, a: 1}                     -> true
{a: 1} = {a: 2}                                 -> false
{a: 1} = {b: 1}                                 -> false
date("2026-11-23") = date("2026-11-23")         -> true
date("2026-11-23") = date and time("2026-11-23T00:00:00") -> null
time("17:00:00Z") = time("18:00:00+01:00")      -> true
date and time("2026-11-23T17:00:00Z") = date and time("2026-11-23T18:00:00+01:00") -> true
duration("P1Y") = duration("P12M")              -> true
duration("P1D") = duration("PT24H")             -> true
duration("P1M") = duration("P30D")              -> null
1 != 2                                          -> true
1 != 1                                          -> false
null != null                                    -> false
1 != "a"                                        -> null
# Order
1 < 2                                           -> true
2 < 1                                           -> false
1 < "a"                                         -> null
1 < null                                        -> null
"a" < "b"                                       -> true
"B" < "a"                                       -> true
1 <= 1                                          -> true
2 >= 3                                          -> false
3 > 2                                           -> true
date("2026-01-01") < date("2026-01-02")         -> true
date("2026-01-01") > date("2026-01-02")         -> false
time("08:00:00") < time("17:00:00")             -> true
date and time("2026-11-23T17:00:00Z") < date and time("2026-11-23T17:00:01Z") -> true
duration("P1D") < duration("PT25H")             -> true
duration("P11M") < duration("P1Y")              -> true
true < false                                    -> null
[1] < [2]                                       -> null
# Three-valued logic, tables 49 and 50 (Kleene)
true and true                                   -> true
true and false                                  -> false
true and null                                   -> null
false and true                                  -> false
false and false                                 -> false
false and null                                  -> false
null and true                                   -> null
null and false                                  -> false
null and null                                   -> null
true or true                                    -> true
true or false                                   -> true
true or null                                    -> true
false or true                                   -> true
false or false                                  -> false
false or null                                   -> null
null or true                                    -> true
null or false                                   -> null
null or null                                    -> null
true and "x"                                    -> null
false and "x"                                   -> false
true or "x"                                     -> true
# Arithmetic, tables 54 to 58
1 + 2                                           -> 3
0.1 + 0.2                                       -> 0.3
"foo" + "bar"                                   -> "foobar"
1 + "a"                                         -> null
1 + null                                        -> null
5 - 7                                           -> -2
"a" - "b"                                       -> null
3 * 4                                           -> 12
1 / 4                                           -> 0.25
1 / 3 * 3 < 1                                   -> true
1 / 0                                           -> null
2 ** 10                                         -> 1024
2 ** -1                                         -> 0.5
2 ** 3 ** 2                                     -> 64
-2 ** 2                                         -> 4
-(1 + 2)                                        -> -3
-"a"                                            -> null
2 + 3 * 4                                       -> 14
(2 + 3) * 4                                     -> 20
10 - 2 - 3                                      -> 5
100 / 10 / 2                                    -> 5
date("2026-11-23") + duration("P3D")            -> date("2026-11-26")
duration("P3D") + date("2026-11-23")            -> date("2026-11-26")
date("2026-11-23") - duration("P23D")           -> date("2026-10-31")
date("2026-01-31") + duration("P1M")            -> date("2026-02-28")
date("2024-01-31") + duration("P1M")            -> date("2024-02-29")
date("2024-02-29") + duration("P1Y")            -> date("2025-02-28")
date("2026-03-31") - duration("P1M")            -> date("2026-02-28")
date("2026-11-23") - date("2026-11-20")         -> duration("P3D")
date and time("2026-11-23T17:02:00Z") - date and time("2026-11-23T15:00:00Z") -> duration("PT2H2M")
date and time("2026-11-23T17:02:00Z") + duration("PT30H") -> date and time("2026-11-24T23:02:00Z")
date and time("2026-01-31T10:00:00Z") + duration("P1M") -> date and time("2026-02-28T10:00:00Z")
time("23:30:00") + duration("PT1H")             -> time("00:30:00")
time("00:30:00") - duration("PT1H")             -> time("23:30:00")
time("17:02:00Z") - time("15:00:00Z")           -> duration("PT2H2M")
duration("P1D") + duration("PT6H")              -> duration("PT30H")
duration("P1Y") + duration("P2M")               -> duration("P14M")
duration("P1Y") + duration("P1D")               -> null
duration("P1D") * 3                             -> duration("P3D")
3 * duration("P1M")                             -> duration("P3M")
duration("P3D") / 2                             -> duration("P1DT12H")
duration("P1Y") / duration("P3M")               -> 4
duration("P1D") / duration("PT6H")              -> 4
-duration("P1D")                                -> duration("-P1D")
# between and in, tables 51 and 52
3 between 1 and 5                               -> true
1 between 1 and 5                               -> true
5 between 1 and 5                               -> true
6 between 1 and 5                               -> false
null between 1 and 5                            -> null
"b" between "a" and "c"                         -> true
1 in [2, 3, 1]                                  -> true
1 in [2, 3]                                     -> false
1 in 1                                          -> true
1 in [1..5]                                     -> true
1 in (1..5]                                     -> false
5 in [1..5)                                     -> false
5 in ]1..5]                                     -> true
1 in (< 2)                                      -> true
1 in (> 2, < 0)                                 -> false
1 in (1, 2, 3)                                  -> true
"b" in ["a".."c"]                               -> true
date("2026-11-23") in [date("2026-11-01")..date("2026-11-30")] -> true
{a: 1} in [{a: 1}]                              -> true
# instance of
1 instance of number                            -> true
"a" instance of string                          -> true
"a" instance of number                          -> false
null instance of number                         -> false
true instance of boolean                        -> true
date("2026-11-23") instance of date             -> true
date("2026-11-23") instance of date and time    -> false
duration("P1D") instance of days and time duration -> true
duration("P1M") instance of years and months duration -> true
[1, 2] instance of list<number>                 -> true
[1, "a"] instance of list<number>               -> false
{a: 1} instance of context<a: number>           -> true
{a: "x"} instance of context<a: number>         -> false
[1..2] instance of range<number>                -> true
1 instance of Any                               -> true
# if, for, some, every, filters, paths
if 1 > 2 then "a" else "b"                      -> "b"
if null then "a" else "b"                       -> "b"
if "x" then "a" else "b"                        -> "b"
for i in [1, 2, 3] return i * i                 -> [1, 4, 9]
for i in 1..3 return i                          -> [1, 2, 3]
for i in 3..1 return i                          -> [3, 2, 1]
for i in [1, 2], j in [10, 20] return i + j     -> [11, 21, 12, 22]
for i in [[1, 2], [3]], j in i return j         -> [1, 2, 3]
for i in 0..4 return if i = 0 then 1 else i * partial[-1] -> [1, 1, 2, 6, 24]
for d in date("2026-11-29")..date("2026-12-01") return d.day -> [29, 30, 1]
some i in [1, 2, 3] satisfies i > 2             -> true
some i in [1, 2, 3] satisfies i > 3             -> false
every i in [1, 2, 3] satisfies i > 0            -> true
every i in [1, 2, 3] satisfies i > 1            -> false
every i in [] satisfies false                   -> true
some i in [] satisfies true                     -> false
some i in [1, 2], j in [2, 3] satisfies i = j   -> true
[1, 2, 3, 4][item > 2]                          -> [3, 4]
[1, 2, 3, 4][1]                                 -> 1
[1, 2, 3, 4][-1]                                -> 4
[1, 2, 3, 4][5]                                 -> null
[{x: 1, y: 2}, {x: 2, y: 3}][x = 1]             -> [{x: 1, y: 2}]
[{x: 1, y: 2}, {x: 2, y: 3}].y                  -> [2, 3]
[{x: 1, y: 2}, {x: null, y: 3}][x < 2]          -> [{x: 1, y: 2}]
{a: {b: {c: 7}}}.a.b.c                          -> 7
{a: 1}.b                                        -> null
{a: 1, b: a + 1, c: b * 2}.c                    -> 4
{"a name": 1}.a name                            -> 1
(function(x, y) x + y)(1, 2)                    -> 3
{f: function(x) x * 2, r: f(21)}.r              -> 42
# Properties, table 65 and after
date("2026-11-23").year                         -> 2026
date("2026-11-23").month                        -> 11
date("2026-11-23").day                          -> 23
date("2026-11-23").weekday                      -> 1
date and time("2026-11-23T17:02:03Z").hour      -> 17
date and time("2026-11-23T17:02:03Z").minute    -> 2
time("17:02:03").second                         -> 3
time("17:02:03+01:00").time offset              -> duration("PT1H")
date and time("2026-11-23T17:02:03@Europe/Paris").timezone -> "Europe/Paris"
duration("P1Y2M").years                         -> 1
duration("P1Y2M").months                        -> 2
duration("P1DT2H3M4S").days                     -> 1
duration("P1DT2H3M4S").hours                    -> 2
duration("P1DT2H3M4S").minutes                  -> 3
duration("P1DT2H3M4S").seconds                  -> 4
[1..5].start                                    -> 1
(1..5].start included                           -> false
(1..5].end included                             -> true
# Table 66: conversion
date("2012-12-25") - date("2012-12-24") = duration("P1D") -> true
date(date and time("2012-12-25T11:00:00Z"))     -> date("2012-12-25")
date(2012, 12, 25) = date("2012-12-25")         -> true
date("2012-12-25T11:00:00") = date("2012-12-25") -> true
date("2012-02-30")                              -> null
date(year: 2012, month: 12, day: 25).day        -> 25
date and time("2012-12-24T23:59:00").minute     -> 59
date and time(date("2012-12-24"), time("23:59:00")) = date and time("2012-12-24T23:59:00") -> true
time("23:59:00z") = null or time("23:59:00Z").hour = 23 -> true
time("23:59:00Z") + duration("PT2M") = time("00:01:00@Etc/UTC") -> true
time(23, 59, 0, duration("PT0H")) = time("23:59:00Z") -> true
time(date and time("2012-12-25T11:00:00")) = time("11:00:00") -> true
number("1 000,0", " ", ",") = number("1,000.0", ",", ".") -> true
number("1000.5")                                -> 1000.5
number("x")                                     -> null
string(1.1)                                     -> "1.1"
string(null)                                    -> null
string(date("2012-12-25"))                      -> "2012-12-25"
string([1, "a"])                                -> "[1, \"a\"]"
string(duration("P14M"))                        -> "P1Y2M"
string(true)                                    -> "true"
date and time("2012-12-24T23:59:00") - date and time("2012-12-22T03:45:00") = duration("P2DT20H14M") -> true
duration("P2Y2M") = duration("P26M")            -> true
years and months duration(date("2011-12-22"), date("2013-08-24")) = duration("P1Y8M") -> true
years and months duration(date("2013-08-24"), date("2011-12-22")) = duration("-P1Y8M") -> true
@"2012-12-25" = date("2012-12-25")              -> true
@"P1D" = duration("P1D")                        -> true
# Table 68: boolean
not(true)                                       -> false
not(null)                                       -> null
is(date("2012-12-25"), time("23:00:50"))        -> false
is(date("2012-12-25"), date("2012-12-25"))      -> true
is(time("23:00:50Z"), time("23:00:50"))         -> false
is(null, null)                                  -> true
# Table 69: strings
substring("foobar", 3)                          -> "obar"
substring("foobar", 3, 3)                       -> "oba"
substring("foobar", -2, 1)                      -> "a"
substring("\U01F40Eab", 2)                      -> "ab"
string length("foo")                            -> 3
string length("\U01F40Eab")                     -> 3
upper case("aBc4")                              -> "ABC4"
lower case("aBc4")                              -> "abc4"
substring before("foobar", "bar")               -> "foo"
substring before("foobar", "xyz")               -> ""
substring before("foobar", "foo")               -> ""
substring after("foobar", "ob")                 -> "ar"
substring after("", "a")                        -> ""
substring after("foo", "")                      -> "foo"
replace("abcd", "(ab)|(a)", "[1=$1][2=$2]")     -> "[1=ab][2=]cd"
replace("banana", "a", "o")                     -> "bonono"
# XPath and XQuery Functions and Operators 3.1, fn:replace, examples (from memory)
replace("abracadabra", "bra", "*")              -> "a*cada*"
replace("abracadabra", "a.*a", "*")             -> "*"
replace("abracadabra", "a.*?a", "*")            -> "*c*bra"
replace("abracadabra", "a", "")                 -> "brcdbr"
replace("abracadabra", "a(.)", "a$1$1")         -> "abbraccaddabbra"
replace("AAAA", "A+", "b")                      -> "b"
replace("AAAA", "A+?", "b")                     -> "bbbb"
replace("darted", "^(.*?)d(.*)$", "$1c$2")      -> "carted"
contains("foobar", "of")                        -> false
contains("foobar", "oo")                        -> true
starts with("foobar", "fo")                     -> true
starts with("foobar", "x")                      -> false
ends with("foobar", "r")                        -> true
ends with("foobar", "o")                        -> false
matches("foobar", "^fo*b")                      -> true
matches("abracadabra", "^a.*a$")                -> true
matches("abracadabra", "^bra")                  -> false
matches("FOO", "foo", "i")                      -> true
split("John Doe", "\\s")                        -> ["John", "Doe"]
split("a;b;c;;", ";")                           -> ["a", "b", "c", "", ""]
string join(["a", "b", "c"], "_and_")           -> "a_and_b_and_c"
string join(["a", "b", "c"], "")                -> "abc"
string join(["a", "b", "c"], null)              -> "abc"
string join(["a"], "X")                         -> "a"
string join(["a", null, "c"], "X")              -> "aXc"
string join([], "X")                            -> ""
string join(["a", "b", "c"])                    -> "abc"
# Table 70: lists
list contains([1, 2, 3], 2)                     -> true
list contains([1, 2, null], null)               -> true
count([1, 2, 3])                                -> 3
count([])                                       -> 0
count([1, [2, 3]])                              -> 2
min([1, 2, 3])                                  -> 1
min(1)                                          -> 1
min([1])                                        -> 1
min([])                                         -> null
max(1, 2, 3)                                    -> 3
max([])                                         -> null
max("a", "c", "b")                              -> "c"
sum([1, 2, 3])                                  -> 6
sum(1, 2, 3)                                    -> 6
sum([])                                         -> null
mean([1, 2, 3])                                 -> 2
mean([])                                        -> null
all([false, null, true])                        -> false
all(true)                                       -> true
all([true])                                     -> true
all([])                                         -> true
all(0)                                          -> null
any([false, null, true])                        -> true
any(false)                                      -> false
any([])                                         -> false
any(0)                                          -> null
sublist([4, 5, 6], 1, 2)                        -> [4, 5]
sublist([4, 5, 6], -2)                          -> [5, 6]
append([1], 2, 3)                               -> [1, 2, 3]
concatenate([1, 2], [3])                        -> [1, 2, 3]
insert before([1, 3], 1, 2)                     -> [2, 1, 3]
remove([1, 2, 3], 2)                            -> [1, 3]
list replace([2, 4, 7, 8], 3, 6)                -> [2, 4, 6, 8]
list replace([2, 4, 7, 8], function(item, newItem) item < newItem, 5) -> [5, 5, 7, 8]
reverse([1, 2, 3])                              -> [3, 2, 1]
index of([1, 2, 3, 2], 2)                       -> [2, 4]
union([1, 2], [2, 3])                           -> [1, 2, 3]
distinct values([1, 2, 3, 2, 1])                -> [1, 2, 3]
flatten([[1, 2], [[3]], 4])                     -> [1, 2, 3, 4]
product([2, 3, 4])                              -> 24
product(2, 3, 4)                                -> 24
median(8, 2, 5, 3, 4)                           -> 4
median([6, 1, 2, 3])                            -> 2.5
median([])                                      -> null
decimal(stddev(2, 4, 7, 5), 20)                 -> 2.08166599946613273528
stddev([47])                                    -> null
stddev([])                                      -> null
mode(6, 3, 9, 6, 6)                             -> [6]
mode([6, 1, 9, 6, 1])                           -> [1, 6]
mode([])                                        -> []
# Table 71: numbers
decimal(1/3, 2)                                 -> 0.33
decimal(1.5, 0)                                 -> 2
decimal(2.5, 0)                                 -> 2
floor(1.5)                                      -> 1
floor(-1.56, 1)                                 -> -1.6
ceiling(1.5)                                    -> 2
ceiling(-1.5)                                   -> -1
ceiling(-1.56, 1)                               -> -1.5
round up(5.5, 0)                                -> 6
round up(-5.5, 0)                               -> -6
round up(1.121, 2)                              -> 1.13
round up(-1.126, 2)                             -> -1.13
round down(5.5, 0)                              -> 5
round down(-5.5, 0)                             -> -5
round down(1.121, 2)                            -> 1.12
round down(-1.126, 2)                           -> -1.12
round half up(5.5, 0)                           -> 6
round half up(-5.5, 0)                          -> -6
round half up(1.121, 2)                         -> 1.12
round half up(-1.126, 2)                        -> -1.13
round half down(5.5, 0)                         -> 5
round half down(-5.5, 0)                        -> -5
round half down(1.121, 2)                       -> 1.12
round half down(-1.126, 2)                      -> -1.13
abs(10)                                         -> 10
abs(-10)                                        -> 10
abs(@"PT5H")                                    -> @"PT5H"
abs(@"-PT5H")                                   -> @"PT5H"
modulo(12, 5)                                   -> 2
modulo(-12, 5)                                  -> 3
modulo(12, -5)                                  -> -3
modulo(-12, -5)                                 -> -2
modulo(10.1, 4.5)                               -> 1.1
modulo(-10.1, 4.5)                              -> 3.4
modulo(10.1, -4.5)                              -> -3.4
modulo(-10.1, -4.5)                             -> -1.1
sqrt(16)                                        -> 4
sqrt(-1)                                        -> null
decimal(log(10), 8)                             -> 2.30258509
log(0)                                          -> null
decimal(exp(5), 8)                              -> 148.41315910
odd(5)                                          -> true
odd(2)                                          -> false
even(5)                                         -> false
even(2)                                         -> true
# Table 75: dates
day of year(date(2019, 9, 17))                  -> 260
day of week(date(2019, 9, 17))                  -> "Tuesday"
month of year(date(2019, 9, 17))                -> "September"
week of year(date(2019, 9, 17))                 -> 38
week of year(date(2003, 12, 29))                -> 1
week of year(date(2004, 1, 4))                  -> 1
week of year(date(2005, 1, 1))                  -> 53
week of year(date(2005, 1, 3))                  -> 1
week of year(date(2005, 1, 9))                  -> 1
# Table 76: sort
sort([3, 1, 4, 5, 2], function(x, y) x < y)     -> [1, 2, 3, 4, 5]
sort(list: ["b", "a"], precedes: function(x, y) x < y) -> ["a", "b"]
# Table 77: contexts
get value({key1: "value1"}, "key1")             -> "value1"
get value({key1: "value1"}, "unexistent-key")   -> null
get entries({key1: "value1"})[1].key            -> "key1"
context([{key: "a", value: 1}, {key: "b", value: 2}]) -> {a: 1, b: 2}
context([{key: "a", value: 1}, {key: "b"}])     -> null
context put({x: 1}, "y", 2)                     -> {x: 1, y: 2}
context put({x: 1, y: {a: 0}}, ["y", "a"], 2)   -> {x: 1, y: {a: 2}}
context put({x: 1}, [], 2)                      -> null
context merge([{x: 1}, {y: 2}])                 -> {x: 1, y: 2}
context merge([{x: 1, y: 0}, {y: 2}])           -> {x: 1, y: 2}
# Table 78: ranges
before(1, 10)                                   -> true
before(10, 1)                                   -> false
before(1, [1..10])                              -> false
before(1, (1..10])                              -> true
before(1, [5..10])                              -> true
before([1..10], 10)                             -> false
before([1..10), 10)                             -> true
before([1..10], 15)                             -> true
before([1..10], [15..20])                       -> true
before([1..10], [10..20])                       -> false
before([1..10), [10..20])                       -> true
before([1..10], (10..20])                       -> true
after(10, 5)                                    -> true
after(5, 10)                                    -> false
after(12, [1..10])                              -> true
after(10, [1..10))                              -> true
after(10, [1..10])                              -> false
after([11..20], 12)                             -> false
after([11..20], 10)                             -> true
after((11..20], 11)                             -> true
after([11..20], 11)                             -> false
after([11..20], [1..10])                        -> true
after([1..10], [11..20])                        -> false
after([11..20], [1..11))                        -> true
after((11..20], [1..11])                        -> true
meets([1..5], [5..10])                          -> true
meets([1..5), [5..10])                          -> false
meets([1..5], (5..10])                          -> false
meets([1..5], [6..10])                          -> false
met by([5..10], [1..5])                         -> true
met by([5..10], [1..5))                         -> false
met by((5..10], [1..5])                         -> false
met by([6..10], [1..5])                         -> false
overlaps([1..5], [3..8])                        -> true
overlaps([3..8], [1..5])                        -> true
overlaps([1..8], [3..5])                        -> true
overlaps([3..5], [1..8])                        -> true
overlaps([1..5], [6..8])                        -> false
overlaps([6..8], [1..5])                        -> false
overlaps([1..5], [5..8])                        -> true
overlaps([1..5], (5..8])                        -> false
overlaps([1..5), [5..8])                        -> false
overlaps([1..5), (5..8])                        -> false
overlaps([5..8], [1..5])                        -> true
overlaps before([1..5], [3..8])                 -> true
overlaps before([1..5], [6..8])                 -> false
overlaps before([1..5], [5..8])                 -> true
overlaps before([1..5], (5..8])                 -> false
overlaps before([1..5), [5..8])                 -> false
overlaps before([1..5), (1..5])                 -> true
overlaps before([1..5], (1..5])                 -> true
overlaps before([1..5), [1..5])                 -> false
overlaps before([1..5], [1..5])                 -> false
overlaps after([3..8], [1..5])                  -> true
overlaps after([6..8], [1..5])                  -> false
overlaps after([5..8], [1..5])                  -> true
overlaps after((5..8], [1..5])                  -> false
overlaps after([5..8], [1..5))                  -> false
overlaps after((1..5], [1..5))                  -> true
overlaps after((1..5], [1..5])                  -> false
overlaps after([1..5], [1..5))                  -> true
overlaps after([1..5], [1..5])                  -> false
finishes(10, [1..10])                           -> true
finishes(10, [1..10))                           -> false
finishes([5..10], [1..10])                      -> true
finishes([5..10), [1..10])                      -> false
finishes([5..10), [1..10))                      -> true
finishes([1..10], [1..10])                      -> true
finishes((1..10], [1..10])                      -> true
finished by([1..10], 10)                        -> true
finished by([1..10), 10)                        -> false
finished by([1..10], [5..10])                   -> true
finished by([1..10], [5..10))                   -> false
finished by([1..10), [5..10))                   -> true
finished by([1..10], (1..10])                   -> true
includes([1..10], 5)                            -> true
includes([1..10], 12)                           -> false
includes([1..10], 1)                            -> true
includes([1..10], 10)                           -> true
includes((1..10], 1)                            -> false
includes([1..10), 10)                           -> false
includes([1..10], [4..6])                       -> true
includes([1..10], [1..5])                       -> true
includes((1..10], (1..5])                       -> true
includes([1..10], (1..10))                      -> true
includes([1..10), [5..10))                      -> true
includes([1..10], [1..5))                       -> true
includes([1..10], (5..10])                      -> true
includes([1..10], [1..10])                      -> true
during(5, [1..10])                              -> true
during(12, [1..10])                             -> false
during(1, (1..10])                              -> false
during([4..6], [1..10])                         -> true
during((1..5], (1..10])                         -> true
during([1..10], [1..10])                        -> true
starts(1, [1..10])                              -> true
starts(1, (1..10])                              -> false
starts(2, [1..10])                              -> false
starts([1..5], [1..10])                         -> true
starts((1..5], (1..10])                         -> true
starts((1..5], [1..10])                         -> false
starts([1..5], (1..10])                         -> false
starts([1..10], [1..10])                        -> true
starts([1..10), [1..10])                        -> true
started by([1..10], 1)                          -> true
started by((1..10], 1)                          -> false
started by([1..10], [1..5])                     -> true
started by((1..10], (1..5])                     -> true
started by([1..10], (1..5])                     -> false
coincides(5, 5)                                 -> true
coincides(3, 4)                                 -> false
coincides([1..5], [1..5])                       -> true
coincides((1..5), [1..5])                       -> false
coincides([1..5], [2..6])                       -> false
range("[18..21)").start                         -> 18
range("[18..21)").end included                  -> false
range("[\"a\"..\"z\"]").end                     -> "z"
range("[..]")                                   -> null
# More of each, to have several
exp(0)                                          -> 1
upper case("straße")                            -> "STRASSE"
lower case("ÄÖ")                                -> "äö"
get entries({})                                 -> []
reverse([])                                     -> []
flatten([1, [2, [3, [4]]]])                     -> [1, 2, 3, 4]
union([1, 1], ["a"])                            -> [1, "a"]
insert before([1, 2], -1, 9)                    -> [1, 9, 2]
remove([1, 2, 3], -1)                           -> [1, 2]
day of year(date(2020, 12, 31))                 -> 366
day of week(date(2024, 2, 29))                  -> "Thursday"
month of year(date(2024, 2, 29))                -> "February"
distinct values([1, null, "1", null])           -> [1, null, "1"]
concatenate([1], [[2]], [])                     -> [1, [2]]
append([], [1])                                 -> [[1]]
index of([1, null, 2], null)                    -> [2]
index of([1], 9)                                -> []
# Literals (grammar rules 33 to 37)
.5                                              -> 0.5
"a\"b"                                          -> "a" + "\"" + "b"
string length("a\nb")                           -> 3
"\u0041"                                        -> "A"
[1, 2, 3][1] /* a comment */ + 1 // and another -> 2
"""


def env() -> Env:
    return Env(NOW, ZoneInfo("Europe/London"))


def lines() -> list[tuple[str, str]]:
    found = []
    for line in CASES.strip().splitlines():
        if not line.startswith("# "):
            text, arrow, expected = line.rpartition("->")
            assert arrow, line
            found.append((text.strip(), expected.strip()))
    return found


@pytest.mark.parametrize(("text", "expected"), lines(), ids=lambda x: x[:60])
def test_the_standard(text: str, expected: str):
    found, wanted = evaluate(text, {}, env()), evaluate(expected, {}, env())
    assert found.__class__ is wanted.__class__
    assert write(found) == write(wanted) or found == wanted


def test_there_are_enough_cases():
    """At least 250, several for each built-in function that the standard has."""
    cases = lines()
    assert len(cases) >= 250
    text = "\n".join(c for c, _ in cases)
    standard = {n for n, forms in FUNCTIONS.forms.items() if not forms[0].added} - {"now", "today"}
    assert not {n for n in standard if text.count(f"{n}(") < 2}


def test_now_and_today_are_those_of_the_workspace():
    late = Env(datetime(2026, 11, 25, 23, 30, tzinfo=UTC), ZoneInfo("Europe/Helsinki"))
    assert write(evaluate("today()", {}, late)) == "2026-11-26"
    assert write(evaluate("now()", {}, late)) == "2026-11-26T01:30:00@Europe/Helsinki"


# Clause 10.3.1.2, grammar rules 7 to 17: unary tests about a value, which is named ?
@pytest.mark.parametrize(
    ("tests", "value", "expected"),
    [
        ("-", 1, True),
        ("5", 5, True),
        ("5", 6, False),
        ("< 10", 5, True),
        (">= 10", 5, False),
        ("[1..5]", 3, True),
        ("1, 2, 3", 2, True),
        ("not(1, 2)", 3, True),
        ("not(1, 2)", 2, False),
        ("< 3, > 7", 8, True),
        ("? > 3 and ? < 7", 5, True),
        ("? > 3 and ? < 7", 9, False),
        ('"a", "b"', "b", True),
        ("null", None, True),
        ('starts with(?, "fo")', "foo", True),
    ],
)
def test_unary_tests(tests, value, expected):
    from kelvix.core.feel.values import from_python

    given = {"?": from_python(value)}
    assert compiled(read_tests(tests, Scope.of_context({}))).evaluate(given, env()) is expected
