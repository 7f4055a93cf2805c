"""The little languages of definitions: schedules, filters on keys, routes; each two-way, and judged by others' code."""

from __future__ import annotations

import fnmatch
import re
import sqlite3
from datetime import UTC, datetime
from itertools import islice, pairwise, product
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from croniter import croniter
from cronsim import CronSim
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.filters.captures import read_captures, write_captures
from vast_ferry.definitions.filters.cloud_event_filters import read_filters, write_filters
from vast_ferry.definitions.filters.ends import FilterError, from_ends, to_ends
from vast_ferry.definitions.filters.globs import read_glob, write_glob
from vast_ferry.definitions.filters.sql import SqlError, read_sql
from vast_ferry.definitions.routes import RouteError, RouteStyle, covers, overlap, overlapping, winners
from vast_ferry.definitions.schedules.cron import CronStyle, read_cron, write_cron
from vast_ferry.definitions.schedules.intervals import read_interval, write_intervals
from vast_ferry.definitions.schedules.phrases import read_phrase
from vast_ferry.definitions.schedules.rrule import read_rrule, write_rrule
from vast_ferry.definitions.schedules.rules import ScheduleError
from vast_ferry.definitions.schedules.styles import STYLES
from vast_ferry.hub.keys import (
    ANY,
    EVERY_KEY,
    All,
    AnyOf,
    KeyFilter,
    Not,
    Pattern,
    Piece,
    Undecided,
    admits,
    begins,
    differing_key,
    ends,
)
from vast_ferry.hub.schedules import Calendar, Every, Schedule, described, first_difference
from vast_ferry.mapping.helpers import match_route

START = datetime(2026, 1, 1, tzinfo=UTC)
PRAGUE = "Europe/Prague"


def choice(low: int, high: int) -> st.SearchStrategy[str]:
    """Return fields of a cron line: stars, numbers, lists, ranges, steps."""
    number = st.integers(low, high)
    return st.one_of(
        st.just("*"),
        number.map(str),
        st.integers(2, 15).map(lambda step: f"*/{step}"),
        st.lists(number, min_size=2, max_size=3, unique=True).map(lambda found: ",".join(map(str, sorted(found)))),
        st.tuples(number, number).filter(lambda pair: pair[0] < pair[1]).map(lambda pair: f"{pair[0]}-{pair[1]}"),
    )


LINES = st.tuples(choice(0, 59), choice(0, 23), choice(1, 28), choice(1, 12), choice(0, 6)).map(" ".join)


@given(line=LINES)
def test_cron_lines_fire_as_others_say(line: str) -> None:
    ours = Schedule.of(read_cron(line)).next(60, START)
    theirs = croniter(line, START.replace(tzinfo=None))
    # Of a step over all days croniter makes a star, where it decides whether one kind of day is enough.
    if not any("/" in field for field in (line.split()[2], line.split()[4])):
        assert ours == [theirs.get_next(datetime).replace(tzinfo=UTC) for _ in ours]


@given(line=LINES, years=st.sampled_from(["*", "2026", "2026-2027", "2027-2030"]))
def test_cron_lines_with_years_fire_as_others_say(line: str, years: str) -> None:
    minute, hour, day, month, weekday = line.split()
    if day != "*" and weekday != "*":
        weekday = "*"  # of two kinds of day the trade does not agree
    numbers = re.sub(r"\d+", lambda found: str(int(found[0]) + 1), weekday) if "/" not in weekday else "*"
    ours = STYLES["cron_with_years"].read(f"30 {minute} {hour} {day} {month} {numbers} {years}").next(40, START)
    theirs = croniter(f"{minute} {hour} {day} {month} {weekday if '/' not in weekday else '*'} 30 {years}", START)
    for moment in ours:
        assert theirs.get_next(datetime).astimezone(UTC) == moment


@given(line=LINES)
def test_a_schedule_fires_alike_in_every_spelling_that_can_say_it(line: str) -> None:
    wanted = Schedule.of(read_cron(line))
    for name, style in STYLES.items():
        try:
            texts = style.write(wanted)
        except CannotHold:
            assert name in (
                "interval",
                "cron_with_seconds",
                "cron_with_years",
                "cron_from_sunday",
                "days",
                "span",
                "iso_span",
            )
            continue
        read = [style.read(text) for text in texts]
        again = Schedule.of(*(rule for one in read for rule in one.rules), zone=read[0].zone)
        assert first_difference(wanted, again, START, 1000) is None, (name, texts)


@given(line=LINES)
def test_rules_of_rfc_5545_fire_as_dateutil_says(line: str) -> None:
    wanted = Schedule.of(read_cron(line))
    text = write_rrule(wanted)
    lines = text if "RRULE" in text else f"RRULE:{text}"
    whole = lines if "DTSTART" in lines else f"DTSTART:20260101T000000Z\n{lines}"
    judge = list(islice(rrulestr(whole, forceset=True).xafter(START), 200))
    assert wanted.next(len(judge), START) == judge


@pytest.mark.parametrize(
    "text",
    [
        "FREQ=DAILY",
        "FREQ=WEEKLY;BYDAY=MO,FR;BYHOUR=6",
        "FREQ=MONTHLY;BYMONTHDAY=15",
        "FREQ=MONTHLY;BYDAY=MO",
        "FREQ=YEARLY",
        "FREQ=YEARLY;BYMONTH=2,3;BYMONTHDAY=29",
        "FREQ=HOURLY;BYMINUTE=5,35",
        "FREQ=MINUTELY;INTERVAL=7",
        "FREQ=DAILY;INTERVAL=3",
        "FREQ=WEEKLY;INTERVAL=2",
        "FREQ=MONTHLY;BYDAY=1MO",
        "FREQ=MONTHLY;BYDAY=-1FR,2TU",
        "FREQ=MONTHLY;BYDAY=5SU",
        "FREQ=MONTHLY;BYDAY=-5SU",
        "FREQ=YEARLY;BYMONTH=3,10;BYDAY=-1SU",
        "FREQ=MONTHLY;BYMONTHDAY=-1",
        "FREQ=MONTHLY;BYMONTHDAY=15,-1,-31",
        "FREQ=MONTHLY;BYMONTHDAY=-1;BYDAY=FR",
        "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1",
        "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=1",
        "FREQ=MONTHLY;BYDAY=SA,WE;BYSETPOS=-1",
        "FREQ=MONTHLY;BYDAY=TU;BYSETPOS=3",
        "FREQ=DAILY;COUNT=40",
        "FREQ=MONTHLY;BYMONTHDAY=31;COUNT=7",
        "FREQ=WEEKLY;BYDAY=MO,FR;UNTIL=20260401T073000Z",
        "FREQ=HOURLY;UNTIL=20260107T000000Z",
        "FREQ=DAILY;INTERVAL=3;COUNT=5",
    ],
)
def test_rules_are_read_as_dateutil_reads_them(text: str) -> None:
    whole = f"DTSTART:20260105T073000Z\nRRULE:{text}"
    start = datetime(2026, 1, 5, 7, 30, tzinfo=UTC)
    judge = list(islice(rrulestr(whole).xafter(start), 100))
    read = read_rrule(whole)
    assert read.next(100, start) == judge
    # Written again it fires alike, for us and for the judge.
    again = write_rrule(read)
    assert first_difference(read_rrule(again), read, START, 300) is None
    lines = (
        again if "DTSTART" in again else f"DTSTART:20260105T073000Z\n{again if 'RRULE' in again else f'RRULE:{again}'}"
    )
    assert list(islice(rrulestr(lines, forceset=True).xafter(start), 100)) == judge


@given(st.sets(st.sampled_from(["MO", "TU", "WE", "TH", "FR", "SA", "SU"]), min_size=1), st.sampled_from([1, -1]))
def test_the_first_and_the_last_of_some_weekdays_are_what_dateutil_says(days: set[str], position: int) -> None:
    whole = f"DTSTART:20260101T060000Z\nRRULE:FREQ=MONTHLY;BYDAY={','.join(sorted(days))};BYSETPOS={position}"
    assert read_rrule(whole).next(150, START) == list(islice(rrulestr(whole).xafter(START), 150))


@pytest.mark.parametrize("line", ["0 2 * * *", "30 1 * * *", "15 12 1 * *", "0 9 * * MON-FRI", "*/15 * * * *"])
def test_zones_with_daylight_saving(line: str) -> None:
    zone = ZoneInfo(PRAGUE)
    ours = Schedule.of(read_cron(line), zone=PRAGUE).next(1000, START)
    assert len(set(ours)) == 1000
    judge = [moment.astimezone(UTC) for moment in islice(CronSim(line, START.astimezone(zone)), 1000)]
    # What falls into the hour that is skipped is the one thing on which the trade does not agree.
    assert [one for one in ours if one not in judge] == [one for one in ours if one.month == 3 and one not in judge]
    assert len(set(ours) ^ set(judge)) <= 4


def test_the_hour_that_is_skipped_and_the_hour_that_comes_twice() -> None:
    spring, autumn = datetime(2026, 3, 28, 12, tzinfo=UTC), datetime(2026, 10, 24, 12, tzinfo=UTC)
    nightly = Schedule.of(Calendar(minutes=(30,), hours=(2,)), zone=PRAGUE)
    # RFC 5545 §3.3.5: with the offset before the gap, so at half past three; of two, the first.
    assert [one.isoformat() for one in nightly.next(1, spring)] == ["2026-03-29T01:30:00+00:00"]
    assert [one.isoformat() for one in nightly.next(2, autumn)] == [
        "2026-10-25T00:30:00+00:00",
        "2026-10-26T01:30:00+00:00",
    ]
    hourly = Schedule.of(Calendar(minutes=(0,)), zone=PRAGUE)
    hours = hourly.next(30, autumn)
    assert {(b - a).total_seconds() for a, b in pairwise(hours)} == {3600}


#: spelling, text → what it is in words; nothing: it is refused, with words of the message
SCHEDULES: list[tuple[str, str, str | None, str]] = [
    ("cron", "0 2 * * *", "daily at 02:00, UTC", ""),
    ("cron", "0 0 13 * FRI", "at 00:00 on day 13 of the month or on Fri, UTC", ""),
    ("cron", "0 0 * * 7", "at 00:00 on Sun, UTC", ""),
    ("cron", "0 2 30 2 *", None, "no day 30 in February"),
    ("cron", "0 2 31 4,6 *", None, "no day 31 in April, June"),
    ("cron", "60 * * * *", None, "'60' is no minute"),
    ("cron", "5-1 * * * *", None, "backwards"),
    ("cron", "*/0 * * * *", None, "no step"),
    ("cron", "@reboot", None, "expected 5 fields"),
    ("cron_or_phrase", "every 15 minutes", "every 15 minutes, UTC", ""),
    ("cron_or_phrase", "every 7 minutes", "every 7 minutes, UTC", ""),
    ("cron_or_phrase", "every 0 minutes", None, "no distance"),
    ("cron_with_seconds", "30 0 2 * * 7", "at 02:00:30 on Sun, UTC", ""),
    ("cron_with_seconds", "0 0 2 13 * 5", "at 02:00 on day 13 of the month if on Fri, UTC", ""),
    ("cron_with_seconds", "0 2 * * *", None, "expected 6 fields"),
    ("cron_with_years", "30 0 2 * * 1 *", "at 02:00:30 on Sun, UTC", ""),
    (
        "cron_with_years",
        "0 0 2 * * MON-FRI 2027,2028-2029",
        "at 02:00 on Mon, Tue, Wed, Thu, Fri, UTC, from 2027-01-01T00:00:00Z, until 2029-12-31T23:59:59Z",
        "",
    ),
    ("cron_with_years", "0 0 2 * * *", None, "expected 7 fields"),
    ("cron_with_years", "0 0 2 * * * 2027,2029", None, "years in a row can"),
    ("cron_with_years", "0 0 2 * * * 27", None, "no year"),
    ("rrule", "FREQ=DAILY;BYHOUR=2;BYMINUTE=0", "daily at 02:00, UTC", ""),
    ("rrule", "DTSTART;TZID=Europe/Prague:20260101T020000\nRRULE:FREQ=DAILY", "daily at 02:00, Europe/Prague", ""),
    ("rrule", "FREQ=DAILY;COUNT=3", None, "COUNT counts from a DTSTART"),
    ("rrule", "DTSTART:20260101T000000Z\nRRULE:FREQ=DAILY;COUNT=0x", None, "no number"),
    ("rrule", "FREQ=DAILY;UNTIL=tomorrow", None, "no moment such as"),
    ("rrule", "RRULE:FREQ=DAILY;UNTIL=20260301\nRRULE:FREQ=DAILY", None, "end at different moments"),
    ("rrule", "FREQ=DAILY;UNTIL=20260301", "daily at 00:00, UTC, until 2026-03-01T00:00:00Z", ""),
    ("rrule", "DTSTART:20270101T060000Z\nRRULE:FREQ=DAILY", "daily at 06:00, UTC, from 2027-01-01T06:00:00Z", ""),
    (
        "rrule",
        "DTSTART;TZID=Europe/Prague:20270701T060000\nRRULE:FREQ=DAILY;COUNT=2",
        "daily at 06:00, Europe/Prague, from 2027-07-01T04:00:00Z, until 2027-07-02T04:00:00Z",
        "",
    ),
    ("rrule", "FREQ=MONTHLY;BYMONTHDAY=-1", "at 00:00 on the last day of the month, UTC", ""),
    ("rrule", "FREQ=MONTHLY;BYDAY=1MO", "at 00:00 on day 1-7 of the month if on Mon, UTC", ""),
    ("rrule", "FREQ=MONTHLY;BYDAY=-1FR", "at 00:00 on day 1-7 from the end of the month if on Fri, UTC", ""),
    ("rrule", "FREQ=MONTHLY;BYDAY=9MO", None, "no weekday such as"),
    ("rrule", "FREQ=MONTHLY;BYDAY=1MO,TU", None, "with a number and without"),
    ("rrule", "FREQ=MONTHLY;BYDAY=MO,TU;BYSETPOS=2", None, "the first and the last can"),
    ("rrule", "FREQ=YEARLY;BYDAY=20MO", None, "no weekday such as"),
    ("rrule", "FREQ=YEARLY;BYDAY=1MO", None, "counted within months"),
    ("rrule", "FREQ=YEARLY;BYWEEKNO=20", None, "BYWEEKNO can't be carried"),
    ("rrule", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30", None, "no day 30 in February"),
    ("rrule", "DTSTART;TZID=Nowhere/Town:20260101T000000\nRRULE:FREQ=DAILY", None, "no time zone"),
    ("rrule", "FREQ=DAILY;FREQ=DAILY", None, "each name once"),
    ("interval", "R/2026-01-01T02:00:00Z/P1D", "daily at 02:00, UTC", ""),
    ("interval", "R/2026-01-01T00:10:00Z/PT90M", "every 90 minutes, UTC", ""),
    ("interval", "R/2026-01-15T06:00:00Z/P1M", "at 06:00 on day 15 of the month, UTC", ""),
    ("interval", "R/2026-02-30T06:00:00Z/P1D", None, "no moment"),
    ("interval", "R/2026-01-31T06:00:00Z/P1M", None, "not in every month"),
    (
        "interval",
        "R5/2026-01-30T06:00:00Z/P1D",
        "daily at 06:00, UTC, from 2026-01-30T06:00:00Z, until 2026-02-03T06:00:00Z",
        "",
    ),
    ("interval", "R/2030-01-15T06:00:00Z/P1M", "at 06:00 on day 15 of the month, UTC, from 2030-01-15T06:00:00Z", ""),
    (
        "interval",
        "R1/2030-01-15T06:00:00Z/P1M",
        "at 06:00 on day 15 of the month, UTC, from 2030-01-15T06:00:00Z, until 2030-01-15T06:00:00Z",
        "",
    ),
    ("interval", "R0/2026-01-31T06:00:00Z/P1D", None, "expected R/"),
]


@pytest.mark.parametrize(("style", "text", "words", "says"), SCHEDULES)
def test_schedules_are_read_or_refused(style: str, text: str, words: str | None, says: str) -> None:
    if words is None:
        with pytest.raises(ScheduleError, match=says):
            STYLES[style].read(text)
        return
    read = STYLES[style].read(text)
    assert described(read) == words
    again = STYLES[style].write(read)
    assert len(again) == 1
    assert first_difference(STYLES[style].read(again[0]), read, START) is None


@pytest.mark.parametrize(
    ("schedule", "write", "why"),
    [
        (Schedule.of(Every(420)), write_cron, "every 7 minutes"),
        (Schedule.of(Calendar(seconds=(30,))), write_cron, "no seconds"),
        (Schedule.of(Calendar(minutes=(0,), hours=(2,)), zone=PRAGUE), write_intervals, PRAGUE),
        (Schedule.of(Calendar((0,), (0,), (2,), (1,), (), (1,))), write_cron, "not on those that are both"),
        (Schedule.of(Calendar((0,), (0,), (2,), (1,), (), (1,))), write_intervals, "first of the month"),
        (Schedule.of(Calendar((0,), (0,), (2,), (31,))), write_intervals, "not in every month"),
        (Schedule.of(Calendar((0,), (), (2,))), write_intervals, "60 intervals"),
        (Schedule.of(Every(420), zone=PRAGUE), write_rrule, "one start"),
        (
            Schedule.of(Calendar((0,), (0,), (2,)), until=datetime(2030, 5, 1, tzinfo=UTC)),
            STYLES["cron_with_years"].write,
            "end with a year",
        ),
        (Schedule.of(Calendar((0,), (0,), (2,), (-1,))), write_cron, "not from its end"),
        (Schedule.of(Calendar((0,), (0,), (2,), (-1,))), write_intervals, "from the end of a month"),
        (Schedule.of(Every(420), until=datetime(2030, 1, 1, tzinfo=UTC)), write_intervals, "9,999 times"),
    ],
)
def test_what_a_spelling_has_no_words_for(schedule: Schedule, write: Any, why: str) -> None:
    with pytest.raises(CannotHold, match=why):
        write(schedule)


def test_one_of_two_kinds_of_day_becomes_two_lines_that_never_fire_at_once() -> None:
    wanted = Schedule.of(read_cron("0 0 13 * FRI"))
    lines = write_cron(wanted, CronStyle(seconds=True, sunday=7, both=True))
    parts = [set(STYLES["cron_with_seconds"].read(line).next(500, START)) for line in lines]
    assert not parts[0] & parts[1]
    assert read_phrase("every 15 minutes") == Every(900)
    assert read_interval("R/2026-01-01T00:00:00Z/PT15M") == Schedule.of(Every(900))


# --- filters on keys --------------------------------------------------------------------------------------------------

KEYS = st.text("ab/.c*[]", max_size=8)
SLASHES = {"glob": True, "shell": False}


@given(text=st.text("ab/*?", max_size=7), key=KEYS)
def test_shell_patterns_let_through_what_fnmatch_does(text: str, key: str) -> None:
    assert admits(read_glob(text, slashes=True), key) is fnmatch.fnmatchcase(key, text)


PIECES = st.sampled_from([ANY, Piece("part"), Piece("segment", "x"), Piece("one"), Piece("of", "", "ab")])
PATTERNS: st.SearchStrategy[KeyFilter] = st.lists(
    st.one_of(st.text("ab/.", min_size=1, max_size=3), PIECES), max_size=4
).map(lambda parts: Pattern.of(*parts))
FILTERS = st.recursive(
    PATTERNS,
    lambda inner: st.one_of(
        st.lists(inner, min_size=1, max_size=2).map(lambda found: All(tuple(found))),
        st.lists(inner, min_size=1, max_size=2).map(lambda found: AnyOf(tuple(found))),
        inner.map(Not),
    ),
    max_leaves=3,
)


@given(one=FILTERS, other=FILTERS, keys=st.lists(st.text("ab/.x", min_size=1, max_size=7), max_size=30))
def test_two_filters_are_decided_for_every_key(one: KeyFilter, other: KeyFilter, keys: list[str]) -> None:
    key = differing_key(one, other)
    if key is None:
        assert all(admits(one, one_key) is admits(other, one_key) for one_key in keys)
    else:
        assert admits(one, key) is not admits(other, key)
        assert all(
            admits(one, shorter) is admits(other, shorter) for shorter in keys if 0 < len(shorter) < len(key)
        )  # it is a shortest one
    assert differing_key(one, one) is None


@given(one=PATTERNS)
def test_what_a_spelling_says_it_means(one: KeyFilter) -> None:
    spellings: list[tuple[Any, Any]] = [
        (lambda f: write_glob(f, slashes=True), lambda text: read_glob(text, slashes=True)),
        (lambda f: write_glob(f, slashes=False), lambda text: read_glob(text, slashes=False)),
        (lambda f: write_filters(f, "subject"), lambda value: read_filters(value, "subject")),
        (to_ends, lambda pair: from_ends(*pair)),
    ]
    for write, read in spellings:
        try:
            text = write(one)
        except CannotHold:
            continue
        assert differing_key(one, read(text)) is None, text


LITERALS = st.text("aB/%_\\'", max_size=5).map(lambda text: "'" + text.replace("\\", "").replace("'", "\\'") + "'")
LIKES = st.lists(st.sampled_from(["a", "B", "/", "%", "_", r"\%", r"\_"]), max_size=6).map("".join)
COMPARISONS = st.one_of(
    st.tuples(st.sampled_from(["subject LIKE", "subject NOT LIKE"]), LIKES.map(lambda text: f"'{text}'")),
    st.tuples(st.sampled_from(["subject =", "subject <>", "subject !=", "'a' = subject AND subject ="]), LITERALS),
    st.tuples(st.sampled_from(["LEFT(subject, 2) =", "RIGHT(subject, 1) <>", "LEFT(subject, 0) ="]), LITERALS),
    st.tuples(st.sampled_from(["subject IN", "subject NOT IN"]), st.lists(LITERALS, min_size=1, max_size=3)).map(
        lambda pair: (pair[0], f"({', '.join(pair[1])})")
    ),
    st.sampled_from([("TRUE", ""), ("FALSE", "")]),
).map(lambda pair: f"{pair[0]} {pair[1]}")
EXPRESSIONS = st.recursive(
    COMPARISONS,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["AND", "OR"]), inner).map(" ".join),
        inner.map(lambda one: f"NOT ({one})"),
        inner.map(lambda one: f"({one})"),
    ),
    max_leaves=4,
)


@given(text=EXPRESSIONS, keys=st.lists(st.text("aB/%_'", min_size=1, max_size=6), min_size=1, max_size=12))
def test_expressions_on_keys_let_through_what_a_database_does(text: str, keys: list[str]) -> None:
    judge = sqlite3.connect(":memory:")
    judge.execute("PRAGMA case_sensitive_like = ON")
    # The database doubles a quote, takes ends by another function, and is told the sign that escapes.
    said = text.replace("\\'", "''").replace("LEFT(subject, ", "substr(subject, 1, ")
    said = said.replace("RIGHT(subject, 1)", "substr(subject, -1)")
    said = re.sub(r"(LIKE '[^']*')", r"\1 ESCAPE '\\'", said)
    one = read_sql(text, "subject")
    for key in keys:
        (wanted,) = judge.execute(f"SELECT {said} FROM (SELECT ? AS subject)", (key,)).fetchone()
        assert admits(one, key) is bool(wanted), (said, key)


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("subject LIKE 'north/%.csv'", from_ends("north/", ".csv")),
        ("subject like 'a' xor subject = 'b'", AnyOf((Pattern.of("a"), Pattern.of("b")))),
        ("EXISTS subject AND NOT subject = 'a'", Not(Pattern.of("a"))),
        ("LEFT(subject, 3) = 'ab'", Pattern.of("ab")),
        ("LEFT(subject, 1) = 'ab'", Not(EVERY_KEY)),
        ('subject = "it\'s"', Pattern.of("it's")),
        ("subject", "the end can't be carried"),
        ("subject = ", "expected a text, got the end, at character 11"),
        ("type = 'a'", "'type' can't be carried: subject alone is the key"),
        ("LENGTH(subject) = 3", "the function LENGTH can't be carried"),
        ("subject > 'a'", "'>' can't be carried"),
        ("subject = 'a' subject", "expected the end"),
        ("(subject = 'a'", "expected ')'"),
        ("subject = 'a", "is no part of an expression, at character 11"),
        ("subject NOT = 'a'", "expected LIKE or IN"),
        ("LEFT(subject, 'a') = 'a'", "expected a number"),
        ("LEFT(subject, 1) LIKE 'a'", "LIKE of a part"),
    ],
)
def test_expressions_on_keys(text: str, wanted: KeyFilter | str) -> None:
    if isinstance(wanted, str):
        with pytest.raises(SqlError, match=re.escape(wanted)):
            read_sql(text, "subject")
        with pytest.raises(FilterError, match="of the expression"):
            read_filters([{"sql": text}], "subject")
    else:
        assert differing_key(read_sql(text, "subject"), wanted) is None


@pytest.mark.parametrize(
    ("one", "text"),
    [
        (read_captures("{apiary}/{day}.csv"), "subject LIKE '_%/_%.csv' AND subject NOT LIKE '%/%/%'"),
        (read_captures("a/{rest...}"), "subject LIKE 'a/_%'"),
        (Pattern.of("it's 5%", Piece("one")), r"subject LIKE 'it\'s 5\%_'"),
        (from_ends("ab", "bc"), None),
        (Pattern.of(Piece("segment"), "/", ANY), "a part without a slash"),
    ],
)
def test_patterns_are_written_as_expressions(one: KeyFilter, text: str | None) -> None:
    if text is None:
        assert [next(iter(part)) for part in write_filters(one, "subject")] == ["prefix", "suffix"]
    elif text.startswith("subject"):
        assert write_filters(one, "subject") == [{"sql": text}]
        assert differing_key(read_filters([{"sql": text}], "subject"), one) is None
    else:
        with pytest.raises(CannotHold, match=text):
            write_filters(one, "subject")


@pytest.mark.parametrize(
    ("one", "other", "key"),
    [
        (from_ends("north/", ".csv"), read_glob("north/*.csv", slashes=True), None),
        # A beginning and an end may overlap in a key, the two sides of a star may not.
        (from_ends("ab", "bc"), read_glob("ab*bc", slashes=True), "abc"),
        (read_captures("north/{day}.csv"), read_glob("north/*.csv", slashes=True), "north/.csv"),
        (read_captures("north/{day}.csv"), read_glob("north/?*.csv", slashes=False), None),
        (Not(begins("a")), AnyOf((begins("b"), EVERY_KEY)), "a"),
        (begins("é"), ends("é"), "xé"),
        # What a key leads to may be where the empty one, which does not count, stands.
        (EVERY_KEY, Pattern.of(ANY, "a"), "x"),
    ],
)
def test_filters_that_look_alike(one: KeyFilter, other: KeyFilter, key: str | None) -> None:
    assert differing_key(one, other) == key


@pytest.mark.parametrize(
    "read",
    [
        lambda: read_glob("a[b", slashes=True),
        lambda: read_glob("[z-a]", slashes=True),
        lambda: read_captures("{a}/{a}"),
        lambda: read_captures("{a b}"),
        lambda: read_filters({"exact": {}}, "subject"),
        lambda: read_filters([{"sql": "x"}], "subject"),
        lambda: read_filters([{"exact": {"type": "x"}}], "subject"),
        lambda: read_filters([{"all": []}], "subject"),
    ],
)
def test_filters_that_are_none(read: Any) -> None:
    with pytest.raises(FilterError):
        read()


@pytest.mark.slow
def test_captures_are_written_with_names() -> None:
    assert write_captures(Pattern.of("a/", ANY)) == "a/{...}"
    assert write_captures(read_captures("{apiary}/{day}.csv")) == "{apiary}/{day}.csv"
    with pytest.raises(CannotHold):
        write_captures(Pattern.of("a", Piece("one")))
    many = AnyOf(tuple(Pattern.of(ANY, "a", *[Piece("one")] * 14, str(n)) for n in range(3)))
    with pytest.raises(Undecided):
        differing_key(many, AnyOf(tuple(reversed(many.filters))))


# --- routes -----------------------------------------------------------------------------------------------------------

TYPED = RouteStyle("<name>", "<name..>", "<name as type>", {"count": "int"}, "(/)", leading=True)


@pytest.mark.parametrize(
    ("style", "text", "route", "types", "slash"),
    [
        (TYPED, "/hives/<hive>/weight", "/hives/{hive}/weight", {}, False),
        (TYPED, "/hives/<hive as count>(/)", "/hives/{hive}", {"hive": "int"}, True),
        (TYPED, "/files/<rest..>", "/files/{+rest}", {}, False),
        (RouteStyle("{name}", "{name...}", leading=False), "a/{b}", "/a/{b}", {}, False),
        (RouteStyle(":name", "*name"), "/a/:b/*c", "/a/{b}/{+c}", {}, False),
    ],
)
def test_routes(style: RouteStyle, text: str, route: str, types: dict[str, str], slash: bool) -> None:
    read = style.read(text)
    assert (read.route, dict(read.types), read.slash) == (route, types, slash)
    assert style.write(read) == text


@pytest.mark.parametrize("text", ["a", "/<a>/<a>", "/x<a>", "/<a as bee>", "/<a..>/b", "/a?b", "/a b"])
def test_routes_that_are_none(text: str) -> None:
    with pytest.raises(RouteError):
        TYPED.read(text)


SEGMENTS = st.lists(st.sampled_from(["a", "b", "{x}"]), min_size=1, max_size=3)
TEMPLATES = st.tuples(SEGMENTS, st.sampled_from(["", "/{+rest}"])).map(lambda pair: "/" + "/".join(pair[0]) + pair[1])


@given(routes=st.lists(TEMPLATES, min_size=2, max_size=5))
def test_which_routes_overlap_is_found_as_by_trying_paths(routes: list[str]) -> None:
    paths = ["/" + "/".join(parts) for n in range(1, 5) for parts in product("abc", repeat=n)]
    taken = [{path for path in paths if match_route(route, path) is not None} for route in routes]
    found = set(overlapping([(route, frozenset()) for route in routes]))
    for second, route in enumerate(routes):
        for first in range(second):
            both = bool(taken[first] & taken[second])
            assert ((first, second) in found) is overlap(routes[first], route) is both
            assert covers(routes[first], route) is (taken[second] <= taken[first])
    assert winners(["/{x}", "/a"], "specific") == ["/a", "/{x}"]
    assert winners(["/{x}", "/a"], "declared") == ["/{x}", "/a"]
