"""Small forms that compose: each row of one table is read and written, so what is read is what is written."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest
import yaml
from conftest import ROOT, put, some

from vast_ferry import BadInput, Profile, Verdict, carry, check, find_profile, lint
from vast_ferry.events.native import read_events, write_events
from vast_ferry.events.unread import unread_in
from vast_ferry.evidence.trying import try_event
from vast_ferry.mapping.compile.functions import lens_source, lens_writer, translate_reply
from vast_ferry.mapping.compile.losses import event_losses
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.helpers import of_contents, of_records
from vast_ferry.mapping.lenses.every import parse_lens
from vast_ferry.mapping.tables import HUB_EVENTS, HUB_REPLY
from vast_ferry.mapping.templates import TemplateError, parse_template
from vast_ferry.profiles.schema import ClassModel

WORDS = {"text": "text", "no": "decimal", "flag": "words:on/off", "bin": "bytes", "many": "list", "more": "mapping"}

BY_KEY = "content_by_key({'t': text, 'p': base64})"
MARCH = "2027-03-14T09:26:53Z"
#: kind, field, what a row says beside its place → what stands there (the first is written), and what that means
FORMS: list[tuple[str, str, dict[str, Any], list[Any], Any]] = [
    ("object", "etag", {"as": "quoted"}, ['"9f2c"', "9f2c"], "9f2c"),
    ("object", "key", {"as": "percent"}, ["a%2Fb%20%C3%A9"], "a/b é"),
    ("object", "key", {"as": "suffixed('.obj')"}, ["a.obj"], "a"),
    ("object", "key", {"as": "unprefixed('/')"}, ["a/b"], "/a/b"),
    ("object", "size", {"as": "digits"}, ["412"], 412),
    ("message", "attempt", {"as": "digits | counted_from(0)"}, ["2"], 3),
    ("http", "client", {"as": "bracketed"}, ["[2001:db8::7]", "2001:db8::7"], "2001:db8::7"),
    ("http", "client", {"as": "address_and_port"}, ["198.51.100.7:0", "198.51.100.7:51124"], "198.51.100.7"),
    ("http", "client", {"as": "address_and_port"}, ["[::1]:0", "[::1]:9", "::1"], "::1"),
    ("http", "client", {"is": ["v6 {client | ipv6}", "v4 {client | ipv4}"]}, ["v4 198.51.100.7"], "198.51.100.7"),
    ("http", "client", {"is": ["v6 {client | ipv6}", "v4 {client | ipv4}"]}, ["v6 ::1"], "::1"),
    ("http", "client", {"is": "{client}[ port {_=7}]"}, ["::1 port 7", "::1", "::1 port 51124"], "::1"),
    ("http", "client", {"is": "{client | bracketed}[:{_=0}]"}, ["[::1]:0", "[::1]:443", "[::1]"], "::1"),
    ("http", "client", {"is": "{client | bracketed}[:{_=0}]"}, ["198.51.100.7:0", "198.51.100.7"], "198.51.100.7"),
    ("http", "method", {"is": "{method} {target}"}, ["GET /a?b=%20"], "GET"),
    ("http", "query.raw", {"is": "{method} {target}"}, ["GET /?b=%20"], "b=%20"),
    ("http", "scheme", {"words": {True: "https", False: "http"}}, [True], "https"),
    ("http", "scheme", {"words": {1: "http", 2: "https"}}, [2], "https"),
    ("http", "principal", {"is": ["id {principal.id}", "-"]}, ["id m-1"], {"id": "m-1", "claims": {}}),
    ("http", "principal", {"is": ["id {principal.id}", "-"]}, ["-"], None),
    (
        "object",
        "change",
        {"words": {"new": "created", "copy": "created", "old": "deleted"}},
        ["new", "copy"],
        "created",
    ),
    ("object", "time", {"as": "since_1970(cs)"}, [180501641358], "2027-03-14T09:26:53.58Z"),
    ("object", "time", {"as": "since_1970(s, float)"}, [1805016413.589], "2027-03-14T09:26:53.589Z"),
    ("object", "time", {"as": "since_1970(us, text)"}, ["1805016413589001"], "2027-03-14T09:26:53.589001Z"),
    ("object", "time", {"as": "since_1970(s, decimal)"}, ["1805016413.5"], "2027-03-14T09:26:53.5Z"),
    ("object", "time", {"as": "since_1970(s, split)"}, ["-1.999"], "1969-12-31T23:59:59.999Z"),
    (
        "object",
        "time",
        {"as": "time('YYYY/MM/DD hh:mm[:ss[.f]] OFFSET')"},
        ["2027/03/14 09:26 Z"],
        "2027-03-14T09:26:00Z",
    ),
    (
        "object",
        "time",
        {"as": "time('YYYY-MM-DDThh:mm:ss[.f]OFFSET')"},
        ["2027-03-14T09:26:53.5Z", "2027-03-14T10:26:53.5+0100", "2027-03-14T07:56:53.5-01:30"],
        "2027-03-14T09:26:53.5Z",
    ),
    (
        "object",
        "time",
        {"as": "time('YYYY-MM-DD hh:mm ZONE[again: (2)]')"},
        ["2027-10-31 01:30 UTC", "2027-10-31 01:30 Europe/London (2)"],
        "2027-10-31T01:30:00Z",
    ),
    ("http", "time", {"as": "time('WDAY, DD MON YYYY hh:mm:ss GMT')"}, ["Sun, 14 Mar 2027 09:26:53 GMT"], MARCH),
    ("http", "time", {"as": "time('WEEKDAY D1 MONTH YYYY h1:m1:s1 PM')"}, ["Sunday 14 March 2027 9:26:53 AM"], MARCH),
    ("http", "time", {"as": "time('YYYY-M1-D1 hh:mm:ss')"}, ["2027-3-14 09:26:53", "2027-03-14 09:26:53"], MARCH),
    ("http", "time", {"as": "time('YYYY-DDD MILLIS')"}, ["2027-073 34013000"], MARCH),
    ("http", "time", {"as": "time('YYYY-DDD/MINUTES')"}, ["2027-073/566"], "2027-03-14T09:26:00Z"),
    ("http", "time", {"as": "since('2000-01-01T00:00:00Z', s)"}, [858331613], MARCH),
    ("http", "time", {"as": "since('2000-01-01T00:00:00Z', ms, text)"}, ["858331613000"], MARCH),
    ("http", "method", {"as": "lower"}, ["post", "POST"], "POST"),
    ("http", "path.raw", {"as": "segments"}, [["a", "b%2F7", ""]], "/a/b%2F7/"),
    ("http", "path.raw", {"as": "segments"}, [[]], "/"),
    ("http", "path.raw", {"as": "segments(decoded)"}, [["a", "b/7", "é"]], "/a/b%2F7/%C3%A9"),
    ("signal", "name", {"as": "parts('.')"}, [["a", "b"]], "a.b"),
    ("signal", "name", {"as": "parts('.')"}, [[]], ""),
    ("http", "query.raw", {"is": "query", "as": "one_or_list"}, [{"a": ["1", "2"], "b": "3"}], "a=1&a=2&b=3"),
    ("object", "labels", {"as": "two_lists(n, v) | texts"}, [{"n": ["a", "b"], "v": ["1", "2"]}], {"a": "1", "b": "2"}),
    ("object", "labels", {"as": "others(x)"}, [{"a": "1"}, {"a": "1", "x": "2"}], {"a": "1"}),
    ("object", "id", {"as": "whole"}, [7], "7"),
    ("schedule", "time", {"as": "since('1899-12-30T00:00:00Z', d, float)"}, [46095.26], "2026-03-14T06:14:24Z"),
    ("object", "size", {"is": "0x{size | hexadecimal}"}, ["0x1f4", "0x1F4"], 500),
    ("object", "etag", {"as": "base64 | as_hex"}, ["nyw="], "9f2c"),
    (
        "object",
        "time",
        {"as": "since('0001-01-01T00:00:00Z', hns, text)"},
        ["639406132135890010"],
        "2027-03-14T09:26:53.589001Z",
    ),
    ("object", "time", {"as": "time('GGGG-WWEEK-DAYNO hh:mm:ss')"}, ["2026-W53-5 09:26:53"], "2027-01-01T09:26:53Z"),
    ("object", "time", {"as": "time('DD.MM.YY hhmmss')"}, ["14.03.27 092653"], MARCH),
    ("object", "time", {"as": "time('DD.MM.YY hh:mm')"}, ["31.12.99 23:59"], "1999-12-31T23:59:00Z"),
    ("object", "size", {"as": "units(1024)"}, [4], 4096),
    ("object", "size", {"is": "{size | digits} bytes"}, ["412 bytes"], 412),
    ("object", "key", {"as": "base64 | decoded"}, ["YS9iIMOp"], "a/b é"),
    ("object", "key", {"as": "unsuffixed('.obj')"}, ["a"], "a.obj"),
    ("message", "attempt", {"as": "comes_again"}, [True], 2),
    ("message", "body", {"as": "base64url"}, ["AP_-"], b"\x00\xff\xfe"),
    ("message", "body", {"as": "base64url(padded)"}, ["AP8=", "AP8"], b"\x00\xff"),
    ("message", "body", {"as": "latin1"}, ["a\xff"], b"a\xff"),
    ("message", "body", {"as": "octets"}, [[0, 255]], b"\x00\xff"),
    ("message", "body", {"as": "in_pieces(base64)"}, [["AP8A"], ["AP8=", "AA=="]], b"\x00\xff\x00"),
    ("message", "body", {"as": "json_value"}, [{"a": [1, None]}], b'{"a":[1,null]}'),
    ("message", "body", {"as": "json_value"}, [None], b""),
    (
        "message",
        "attributes",
        {"as": "scalars"},
        [{"a": "1", "b": "true"}, {"a": 1, "b": True}],
        {"a": "1", "b": "true"},
    ),
    ("message", "attributes", {"as": "by_name | texts"}, [{"a": "1"}], {"a": "1"}),
    (
        "message",
        "attributes",
        {"as": "by_key(n) | typed_texts(n, t, v)", "words": {"text": "text", "no": "decimal"}},
        [{"a": {"t": "text", "v": "1"}}, {"a": {"t": "no", "v": "1"}}],
        {"a": "1"},
    ),
    (
        "message",
        "attributes",
        {"as": "by_key(0) | typed_texts(0, 1, 2)", "words": {"text": "text", "no": "decimal"}},
        [{"a": ["text", "1"]}, {"a": ["no", "1"]}],
        {"a": "1"},
    ),
    (
        "record",
        "new",
        {"as": "by_key(1) | typed(1, 0, 2)", "words": {"S": "text", "N": "decimal"}},
        [{"a": ["S", "x"], "b": ["N", "1.5"]}],
        {"a": "x", "b": 1.5},
    ),
    (
        "http",
        "headers",
        {"as": "values_at(all, last=last) | lists | title_names"},
        [{"X-A": {"all": ["1", "2"], "last": "2"}}, {"X-A": {"all": ["1", "2"]}}],
        [("x-a", "1"), ("x-a", "2")],
    ),
    (
        "message",
        "attributes",
        {"as": "tagged_texts", "words": {"t": "text", "no": "decimal"}},
        [{"a": {"t": "1"}}, {"a": {"no": "1"}}],
        {"a": "1"},
    ),
    ("http", "headers", {"as": "lists | underscored"}, [{"x_a": ["1"]}], [("x-a", "1")]),
    (
        "http",
        "headers",
        {"as": "joined_by_name | title_names"},
        [{"X-A1-B": "1", "Accept": "a, b"}],
        [("x-a1-b", "1"), ("accept", "a, b")],
    ),
    ("http", "headers", {"as": "lists | title_names"}, [{"X-A": ["1"]}, {"x-a": ["1"]}], [("x-a", "1")]),
    (
        "http",
        "headers",
        {"as": "by_name | camel_names"},
        [{"contentType": "a", "xAB": "1"}],
        [("content-type", "a"), ("x-a-b", "1")],
    ),
    ("http", "headers", {"as": "lists | upper_names"}, [{"X-A": ["1"]}, {"x-a": ["1"]}], [("x-a", "1")]),
    ("record", "new", {"as": "records(n, v) | as_record"}, [[{"n": "a", "v": 1}]], {"a": 1}),
    ("record", "keys", {"as": "one_column('a')"}, ["x"], {"a": "x"}),
    ("record", "keys", {"as": "words(';', '=') | as_record"}, ["a=x;b=y"], {"a": "x", "b": "y"}),
    ("message", "body", {"as": "base64"}, ["AP8="], b"\x00\xff"),
    ("message", "body", {"as": "hex"}, ["00ff"], b"\x00\xff"),
    ("message", "body", {"as": "parts('') | base64"}, [["AP8="], ["A", "P8", "="]], b"\x00\xff"),
    ("message", "body", {"as": "utf8"}, ["grüße"], "grüße".encode()),
    ("message", "body", {"as": "base64 | gzip"}, [], b"aaaa"),
    ("message", "body", {"as": "by_word", "words": {"t": "utf8", "b": "base64"}, "flag": 'event["w"]'}, [], b"\xff"),
    ("message", "body", {"as": "beside_the_event"}, [{"text": "é"}], "é".encode()),
    ("message", "body", {"as": "read_once"}, ["é"], "é".encode()),
    ("message", "body", {"as": "in_file"}, [{"base64": "/w=="}], b"\xff"),
    (
        "http",
        "headers",
        {"as": "flat | lower_names"},
        [["a", "1", "a", "2"], ["A", "1", "a", "2"]],
        [("a", "1"), ("a", "2")],
    ),
    ("http", "headers", {"as": "records(n, v)"}, [[{"n": "a", "v": "1"}]], [("a", "1")]),
    ("http", "headers", {"as": "records(0, 1)"}, [[["a", "1"]]], [("a", "1")]),
    ("http", "headers", {"as": "records(1, 0)"}, [[["1", "a"]]], [("a", "1")]),
    ("http", "headers", {"as": "records(0, 1) | lower_names"}, [[["a", "1"]], [["A", "1"]]], [("a", "1")]),
    ("http", "headers", {"as": "words('\\n', ':')"}, ["a: 1\nb: x:y\n", "a:1\nb:x:y\n"], [("a", "1"), ("b", "x:y")]),
    ("http", "query.raw", {"is": "query", "as": "lists"}, [{"a": ["1", "2"]}], "a=1&a=2"),
    ("http", "captures", {"as": "in_order"}, [["l/7", "x"]], {"loom": "l/7", "rest": "x"}),
    ("http", "captures", {"as": "in_order(1)"}, [["/", "l/7", "x"]], {"loom": "l/7", "rest": "x"}),
    ("object", "labels", {"as": "words(';', '=') | percent_pairs | texts"}, ["a=b%3Bc;d="], {"a": "b;c", "d": ""}),
    ("object", "labels", {"as": "list_of_words('=') | texts"}, [["a=b=c"], ["a=x", "a=b=c"]], {"a": "b=c"}),
    ("object", "labels", {"as": "single_entries | texts"}, [[{"a": "b"}, {"c": ""}]], {"a": "b", "c": ""}),
    ("object", "labels", {"as": "form | texts"}, ["a=b+c", "a=b%20c"], {"a": "b c"}),
    ("object", "labels", {"as": "behind('x-')"}, [{"x-a": "1"}], {"a": "1"}),
    (
        "message",
        "attributes",
        {"as": "typed_texts(n, t, v)", "words": {"text": "text", "no": "decimal"}},
        [[{"n": "a", "t": "text", "v": "1"}], [{"n": "a", "t": "no", "v": "1"}]],
        {"a": "1"},
    ),
    (
        "record",
        "new",
        {"as": "tagged", "words": {**WORDS, "nil": "nothing"}},
        [{"a": {"no": "1.5"}, "b": {"many": [{"flag": "on"}, {"nil": True}]}, "c": {"more": {"d": {"bin": "AP8="}}}}],
        {"a": 1.5, "b": [True, None], "c": {"d": {"base64": "AP8="}}},
    ),
    (
        "record",
        "new",
        {"as": "typed(n, t, v)", "words": WORDS},
        [[{"n": "a", "t": "no", "v": "13"}, {"n": "b", "t": "more", "v": [{"n": "c", "t": "text", "v": "x"}]}]],
        {"a": 13, "b": {"c": "x"}},
    ),
    (
        "record",
        "new",
        {"is": "columns", "as": "columns(n, t, k, was, now, v)", "words": WORDS},
        [[{"n": "a", "t": "text", "k": True, "now": "x"}, {"n": "b", "t": "no", "now": "13"}]],
        {"a": "x", "b": 13},
    ),
    ("record", "new", {"is": "columns", "as": "sides_by_name(0, 1)"}, [{"b": [None, 3]}], {"b": 3}),
    ("record", "new", {"is": "columns", "as": "listed_by(0) | sides_by_name(0, 1)"}, [[["b", None, 3]]], {"b": 3}),
    (
        "record",
        "new",
        {"is": "columns", "as": "listed_by(of) | sides_by_name(was, now)"},
        [[{"of": "b", "was": None, "now": [1]}, {"of": "c", "was": None, "now": "x"}]],
        {"b": [1], "c": "x"},
    ),
    ("message", "attributes", {"as": "listed_by(n) | values_at(v)"}, [[{"n": "a", "v": "1"}]], {"a": "1"}),
    (
        "record",
        "new",
        {"is": "columns", "as": "sides_by_name(was, now)"},
        [{"b": {"was": None, "now": [1]}}],
        {"b": [1]},
    ),
    (
        "object",
        "size",
        {"is": "[size={size | digits}][;type={content_type}][;tag={etag | quoted}]"},
        ["size=412", 'size=412;type=;tag=""', 'size=412;tag="9f2c"'],
        412,
    ),
    (
        "record",
        "new",
        {"as": "typed(0, 1, 2)", "words": {"S": "text", "N": "decimal"}},
        [[["a", "S", "x"], ["b", "N", "13"]]],
        {"a": "x", "b": 13},
    ),
    ("message", "attributes", {"as": "typed_texts(1, 0, 2)", "words": {"S": "text"}}, [[["S", "a", "x"]]], {"a": "x"}),
    ("call", "data", {"as": "json_or_empty"}, ['{"a":1}'], {"a": 1}),
    ("call", "data", {"as": "json_or_empty"}, [""], None),
    ("call", "data", {"as": "json_lines"}, ['1\n{"a":[2]}\n', '1\n\n{"a": [2]}'], [1, {"a": [2]}]),
    ("call", "data", {"as": "base64 | gzip | json_bytes"}, [], {"a": [1, None]}),
    ("http", "query.raw", {"is": "query", "as": "commas", "derived": True}, [], ""),
    (
        "schedule",
        "time",
        {"is": "time", "as": "after(due, ms)"},
        [270],
        "2027-03-14T09:26:53.27Z",
    ),
    (
        "object",
        "time",
        {"at": ['event["x"]["a"]', 'event["x"]["b"]'], "as": "'{ | whole}[.{ | fraction(9)}]' | since_1970(s, split)"},
        [{"a": 1805016413, "b": 5000}],
        "2027-03-14T09:26:53.000005Z",
    ),
    (
        "message",
        "content_type",
        {"at": 'event["x"]["own"]', "or_at": 'event["x"]["all"]', "optional": True, "unless_empty": True},
        [{"own": "a/b"}, {"all": "a/b"}, {"own": None, "all": "a/b"}, {"own": "a/b", "all": "c/d"}],
        "a/b",
    ),
    (
        "message",
        "body",
        {"at": 'event["x"]["own"]', "or_at": 'event["x"]["all"]', "as": "base64"},
        [{"own": "AP8="}, {"all": "AP8="}],
        b"\x00\xff",
    ),
    ("schedule", "due", {"as": "before(time, ms)"}, [270], "2027-03-14T09:26:52.73Z"),
    ("message", "attempt", {"as": "count | counted_from(0)"}, [[None, None], ["09:26", "09:27"]], 3),
    ("http", "headers", {"as": "named_lists"}, [[["a", "1", "2"], ["b", "3"]]], [("a", "1"), ("a", "2"), ("b", "3")]),
    ("http", "headers", {"as": "joined_by_name('\n')"}, [{"a": "1\n2"}], [("a", "1"), ("a", "2")]),
    (
        "record",
        "new",
        {"as": "spelt(':')", "words": {"n": "decimal", "t": "text", "b": "truth", "l": "list", "-": "nothing"}},
        [{"a": "n:12.5", "b": "t:x:y", "c": "b:true", "d": "l:[1]", "e": "-:"}],
        {"a": 12.5, "b": "x:y", "c": True, "d": [1], "e": None},
    ),
    ("record", "new", {"as": "over(keys)"}, [{"at": "heath"}, {"a": "x", "at": "heath"}], {"a": "x", "at": "heath"}),
    ("record", "new", {"as": "over(old)"}, [{"b": [3], "c": None}], {"a": 1, "b": [3], "c": None}),
    ("record", "new", {"as": "merge_patch(old)"}, [{"a": None, "b": {"c": 1}}], {"b": {"c": 1}}),
    (
        "record",
        "new",
        {"as": "json_patch(old)"},
        [
            [{"op": "remove", "path": "/b"}, {"op": "add", "path": "/c", "value": 3}],
            [
                {"op": "test", "path": "/b/0", "value": 2},
                {"op": "replace", "path": "/b/0", "value": []},
                {"op": "add", "path": "/b/-", "value": 3},
                {"op": "copy", "from": "/b/1", "path": "/c"},
                {"op": "move", "from": "/b", "path": "/x~1y"},
                {"op": "remove", "path": "/x~1y"},
            ],
            [{"op": "add", "path": "", "value": {"a": 1, "c": 3}}],
        ],
        {"a": 1, "c": 3},
    ),
    ("record", "new", {"as": "before_end('_new')"}, [{"a_new": 2}, {"a_new": 2, "b_old": 1}], {"a": 2}),
    ("message", "body", {"as": "percent_bytes"}, ["%00%FFa~%C3%A9", "%00%ffa%7e%c3%A9"], b"\x00\xffa~\xc3\xa9"),
    ("message", "body", {"as": "base32"}, ["AD7Q====", "AD7Q"], b"\x00\xff"),
    ("message", "body", {"as": "base64 | zlib"}, [], b"aaaa"),
    ("signal", "data", {"as": "records(k, v) | as_record"}, [[{"k": "a", "v": 1}]], {"a": 1}),
    (
        "record",
        "new",
        {
            "as": "mappings_beside(held, types) | by_key(n) | typed(n, types, held)",
            "words": {"S": "text", "N": "decimal"},
        },
        [{"held": {"a": "1", "b": "x"}, "types": {"b": "S", "a": "N"}}],
        {"a": 1, "b": "x"},
    ),
    (
        "signal",
        "data",
        {"as": "typed(n, t, v)", "words": {"S": "text", "N": "decimal"}},
        [[{"n": "a", "t": "N", "v": "1"}]],
        {"a": 1},
    ),
    (
        "object",
        "change",
        {
            "at": ['event["x"]["was"]', 'event["x"]["is"]'],
            "as": "'{ | scalar}/{ | scalar}' | choice",
            "words": {"false/true": "created", "true/1": "deleted"},
        },
        [{"was": True, "is": 1}],
        "deleted",
    ),
    (
        "object",
        "time",
        {
            "at": ['event["x"]["at"]', 'event["x"]["ahead"]'],
            "as": "'{...} { | whole}' | time('YYYY-MM-DD hh:mm:ss OFFMIN')",
        },
        [{"at": "2027-03-14 09:26:53", "ahead": 0}, {"at": "2027-03-14 05:56:53", "ahead": -210}],
        MARCH,
    ),
    (
        "object",
        "time",
        {"at": ['event["x"]["day"]', 'event["x"]["s"]'], "as": "'{ | whole} { | whole}' | time('DAYS SECONDS')"},
        [{"day": 20891, "s": 34013}],
        MARCH,
    ),
    (
        "object",
        "time",
        {"at": ['event["x"]["d"]', 'event["x"]["t"]'], "as": "'{ | whole} { | whole(6)}' | time('YYYYMMDD hhmmss')"},
        [{"d": 20270314, "t": 92653}],
        MARCH,
    ),
    (
        "http",
        "authority",
        {"at": ['event["x"]["a"]', 'event["x"]["b"]'], "as": "'{}[:{ | whole}]'", "optional": True},
        [{"a": "x.example", "b": None}],
        "x.example",
    ),
    (
        "object",
        "change",
        {
            "at": ['event["x"][0]', 'event["x"][1]'],
            "as": "'{}/{}' | choice",
            "words": {"a/b": "created", "c/d": "deleted"},
        },
        [["c", "d"]],
        "deleted",
    ),
    (
        "object",
        "id",
        {"at": ['event["x"]["a"]', 'event["x"]["b"]'], "as": "'{...}/{ | whole}'"},
        [{"a": "n/1", "b": 3}],
        "n/1/3",
    ),
]

#: a form of texts in an answer to a batch, what a handler returns, and what shall come again
OF_BATCHES: list[tuple[str, Any, list[str]]] = [
    ("each_at(id)", [{"id": "a"}, {"id": "b"}], ["a", "b"]),
    ("with_word(again)", {"a": "again"}, ["a"]),
    ("with_word(false)", {"a": False}, ["a"]),
    ("with_word(again, id, state)", [{"id": "a", "state": "again"}, {"id": "b", "state": "again"}], ["a", "b"]),
    ("with_word(false, id, ok)", [{"id": "a", "ok": False}], ["a"]),
    ("apart(',')", "a,b", ["a", "b"]),
]


@pytest.mark.parametrize(("form", "returned", "again"), OF_BATCHES)
def test_what_comes_again_is_told_in_many_forms(form: str, returned: Any, again: list[str]) -> None:
    lens = parse_lens(form)
    assert run_source(lens_source("read", lens))(returned) == again
    assert run_source(lens_writer("write", lens))(again) == returned


#: Other fields that a form asks for.
BESIDE: dict[str, Any] = {
    "route": "/{loom}/{+rest}",
    "due": MARCH,
    "time": MARCH,
    "path.raw": "/",
    "keys": {"a": "x"},
    "old": {"a": 1, "b": [2]},
}


def profile_of(tmp_path: Path, kind: str, field: str, says: dict[str, Any]) -> Profile:
    """Return the profile of a provider whose events have one row of interest, and the fields that it may ask for."""
    beside = [name for name in BESIDE if name in HUB_EVENTS[kind].fields and name not in (field, says.get("is"))]
    rows = [{"at": f'event["{name}"]', "is": name} for name in beside if "target" not in str(says) or name == "route"]
    rows = [row for row in rows if row["is"] not in ("keys", "old") or says.get("is") != "columns"]
    model = {
        "provider": "it",
        "edition": 1,
        "title": "It",
        "about": "a form",
        "handler": {"parameters": ["event"], "event": ["event"]},
        kind: {"event": {"rows": [*rows, {"at": 'event["x"]', "is": field, **says}]}},
    }
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model, allow_unicode=True, sort_keys=False))
    return find_profile(str(tmp_path / "it.yaml"))


@pytest.mark.parametrize(("kind", "field", "says", "stands", "means"), FORMS)
def test_a_form_reads_what_it_writes(
    tmp_path: Path, kind: str, field: str, says: dict[str, Any], stands: list[Any], means: Any
) -> None:
    profile = profile_of(tmp_path, kind, field, says)
    hub = {name: one.default_value for name, one in HUB_EVENTS[kind].fields.items() if one.truth}
    event = {**hub, **{name: value for name, value in BESIDE.items() if name in hub}, field: means}
    if says.get("is") == "columns":
        event["old"] = None
    if says.get("is") == "{method} {target}":
        event |= {"method": "GET", "query.raw": "b=%20"}
        event["path.raw"] = "/a" if field == "method" else "/"
    (native,) = write_events(kind, [event], profile)
    if stands:
        assert native["x"] == stands[0]
    elif says.get("derived"):
        return
    for held in stands or [native["x"]]:
        (read,) = read_events({**native, "x": held}, profile, "x", kind=kind)[1]
        assert (read[field], type(read[field])) == (means, type(means))


@pytest.mark.parametrize("at", ["who", 'event["who"]'])
def test_nobody_is_null_where_who_calls_stands_encoded(tmp_path: Path, at: str) -> None:
    profile_of(tmp_path, "http", "client", {})
    model = yaml.safe_load((tmp_path / "it.yaml").read_text())
    event = model["http"]["event"]
    event |= {"let": {"who": 'event["who"] | base64url | decoded | json_text'}, "nothing": {at: "principal"}}
    event["rows"] += [{"at": 'who["sub"]', "is": "principal.id", "optional": True}]
    event["rows"] += [{"at": "who", "is": "principal.claims", "as": "others(sub)", "optional": True}]
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    profile = find_profile(str(tmp_path / "it.yaml"))
    hub = {name: one.default_value for name, one in HUB_EVENTS["http"].fields.items() if one.truth}
    for who in (None, {"id": "m-1", "claims": {"role": "warden"}}):
        (native,) = write_events("http", [{**hub, "path.raw": "/", "route": "/", "principal": who}], profile)
        assert (native["who"] is None) == (who is None)
        assert read_events(native, profile, "x", kind="http")[1][0]["principal"] == who


#: kind, field, form, what stands there → what of it does not arrive
LEFT = [
    ("object", "labels", "lists | texts", {"a": ["1", "2"]}, "x['a'] (it comes more than once, the last arrives)"),
    ("message", "attributes", "form | texts", "a=1&a=2", "x['a'] (it comes more than once, the last arrives)"),
    ("record", "new", "records(0, 1) | as_record", [["a", 1], ["a", 2]], "x['a'] (it comes more than once"),
    ("message", "attributes", "records(0, 1) | scalars", [["a", 1]], "x['a'] (int, arrives as a text)"),
    ("message", "attempt", "count", ["09:26"], "x[]"),
    ("record", "new", "before_end('_new')", {"a_new": 1, "b_old": 2}, "x.b_old"),
]


@pytest.mark.parametrize(("kind", "field", "form", "stands", "left"), LEFT)
def test_what_a_form_does_not_take_is_told(
    tmp_path: Path, kind: str, field: str, form: str, stands: Any, left: str
) -> None:
    profile = profile_of(tmp_path, kind, field, {"as": form})
    beside = {name: value for name, value in BESIDE.items() if name in HUB_EVENTS[kind].fields and name != field}
    (found,) = unread_in({**beside, "x": stands}, profile, kind)
    assert found.startswith(left)


#: Rows that need each other, so that neither can be read.
IN_CIRCLES = [
    ("record", {"old": "over(new)", "new": "over(old)"}, "old is told by new, and new by old again"),
    ("record", {"new": "merge_patch(new)"}, "new is told by itself"),
    ("schedule", {"due": "before(time, s)", "time": "after(due, s)"}, "due is told by time, and time by due again"),
]


@pytest.mark.parametrize(("kind", "forms", "says"), IN_CIRCLES)
def test_rows_that_need_each_other_are_refused(tmp_path: Path, kind: str, forms: dict[str, str], says: str) -> None:
    profile_of(tmp_path, "object", "size", {})
    model = yaml.safe_load((tmp_path / "it.yaml").read_text())
    model[kind] = {"event": {"rows": [{"at": f'event["{one}"]', "is": one, "as": form} for one, form in forms.items()]}}
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    with pytest.raises(BadInput, match=says):
        find_profile(str(tmp_path / "it.yaml"))


#: Where these say nothing, a record is told neither as it was nor as it is: that is no event.
NEEDED = (
    "one_column('a')",
    "words(';', '=') | as_record",
    "columns(n, t, k, was, now, v)",
    "sides_by_name(0, 1)",
    "sides_by_name(was, now)",
    "listed_by(0) | sides_by_name(0, 1)",
    "listed_by(of) | sides_by_name(was, now)",
)


@pytest.mark.parametrize(
    ("kind", "field", "says"),
    [one[:3] for one in FORMS if "at" not in one[2] and "derived" not in one[2] and one[2].get("as") not in NEEDED],
)
def test_whatever_its_form_what_may_be_missing_may_be_missing(
    tmp_path: Path, kind: str, field: str, says: dict[str, Any]
) -> None:
    """The place, or anything on the way to it, may be missing or null: its field has its default then."""
    deep = {**says, "at": 'event["x"]["y"]', "optional": True}
    deep |= {"flag": 'event["x"]["w"]'} if "flag" in says else {}
    profile = profile_of(tmp_path, kind, field, deep)
    beside = {name: value for name, value in BESIDE.items() if name in HUB_EVENTS[kind].fields}
    missing: list[dict[str, Any]] = [{}, {"x": None}, {"x": {}}, {"x": {"y": None}}]
    for held in missing:
        (read,) = read_events({**beside, **held}, profile, "x", kind=kind)[1]
        assert read[field] == HUB_EVENTS[kind].fields[field].default_value


#: kind, field, what stands there → what is said of it where the event is read; `odd`: where it is tried
NO_VALUES = [
    ("object", "change", "WRITE", "none of created, deleted, relabelled"),
    ("record", "change", "U", "none of inserted, updated, deleted"),
    ("http", "time", "14/03/2027", "no time by RFC 3339"),
    ("schedule", "due", "2027-13-01T00:00:00Z", "no time by RFC 3339"),
    ("http", "scheme", "tls", "neither http nor https"),
    ("http", "method", "get", "odd: in capitals"),
    ("http", "path.raw", "/a b", "odd: no ' '"),
    ("http", "path.raw", "a/b", "odd: begins with a slash"),
    ("http", "query.raw", "?a=1", "odd: no `?`"),
    ("http", "authority", "https://x.example", "odd: a host"),
    ("http", "client", "198.51.100.7:80", "odd: no IP address"),
    ("object", "etag", '"9f2c"', "odd: without its quotes"),
    ("message", "content_type", "json", "odd: type/subtype"),
    ("message", "attempt", 0, "odd: counted_from"),
]


@pytest.mark.parametrize(("kind", "field", "stands", "said"), NO_VALUES)
def test_what_can_not_be_a_fields_value_is_refused_and_what_is_odd_for_one_is_told(
    tmp_path: Path, kind: str, field: str, stands: Any, said: str
) -> None:
    profile = profile_of(tmp_path, kind, field, {})
    event = {**BESIDE, "x": stands}
    if said.startswith("odd: "):
        assert said[5:] in try_event(profile, event, kind=kind).events[0].odd[field]
        return
    with pytest.raises(BadInput, match=f"line .*{field}") as told:
        read_events(event, profile, "x", kind=kind)
    assert said in str(told.value)


def test_all_rows_that_an_event_does_not_fit_are_named_at_once(tmp_path: Path) -> None:
    profile = profile_of(tmp_path, "object", "time", {})
    (tmp_path / "it.yaml").write_text(
        (tmp_path / "it.yaml").read_text()
        + "    - {at: 'event[\"y\"]', is: size}\n    - {at: 'event[\"z\"]', is: key}\n"
    )
    profile = find_profile(str(tmp_path / "it.yaml"))
    with pytest.raises(BadInput) as told:
        try_event(profile, {"x": "now", "y": "many"})
    lines = str(told.value).splitlines()
    assert [word in line for word, line in zip(("x is", "y is", "z is missing"), lines, strict=True)] == [True] * 3


#: a form of a list of events, and what stands there
OF_LEVELS: list[tuple[str, dict[str, Any]]] = [
    ("side_by_side(id, kg)", {"id": ["a", "b"], "kg": ["1", "2"]}),
    ("table(c, r)", {"c": ["id", "kg"], "r": [["a", "1"], ["b", "2"]]}),
]


def test_lists_that_stand_side_by_side_are_a_batch(tmp_path: Path) -> None:
    """Each of its events comes of every list, or of every row of a table."""
    for form, stands in OF_LEVELS:
        rows = [{"at": 'one["id"]', "is": "id"}, {"at": 'one["kg"]', "is": "body", "as": "utf8"}]
        level = {"of": f'event["all"] | {form}', "each": "one"}
        model = {"provider": "it", "edition": 1, "title": "It", "about": "a form"}
        model |= {"handler": {"parameters": ["event"], "event": ["event"]}}
        model |= {"message": {"event": {"each": [level], "rows": rows}}}
        (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
        profile = find_profile(str(tmp_path / "it.yaml"))
        kind, read = read_events({"all": stands}, profile, "x")
        assert [(one["id"], one["body"]) for one in read] == [("a", b"1"), ("b", b"2")]
        assert write_events(kind, read, profile) == [{"all": stands}]
        short = {name: held[:1] if name in ("kg", "c") else held for name, held in stands.items()}
        with pytest.raises(BadInput, match="can't be reached"):
            read_events({"all": short}, profile, "x", kind=kind)


#: kind, rows, what stands there, what it means: fields that follow from one another
TOGETHER: list[tuple[str, list[dict[str, Any]], dict[str, Any], dict[str, Any]]] = [
    *(
        (
            "record",
            [{"at": 'event["old"]', "is": "old"}, {"at": 'event["new"]', "is": "new"}],
            sides,
            {"change": change},
        )
        for sides, change in (
            ({"old": None, "new": {"a": 1}}, "inserted"),
            ({"old": {"a": 1}, "new": None}, "deleted"),
            ({"old": {"a": 1}, "new": {"a": 2}}, "updated"),
        )
    ),
    (
        "record",
        [
            {"at": 'event["new"]', "is": "new"},
            {"at": 'event["was"]', "is": "old.changed"},
            {"at": 'event["by"]', "is": "keys.names"},
        ],
        {"new": {"a": 1, "b": 2}, "was": {"b": 1}, "by": ["a"]},
        {"old": {"a": 1, "b": 1}, "keys": {"a": 1}, "change": "updated"},
    ),
    (
        "record",
        [
            {"at": 'event["cols"]', "is": "columns.names"},
            {"at": 'event["by"]', "is": "keys.names"},
            {"at": 'event["was"]', "is": "old", "as": "in_columns"},
            {"at": 'event["now"]', "is": "new", "as": "in_columns"},
        ],
        {"cols": ["a", "b"], "by": ["a"], "was": [1, 2], "now": [1, 3]},
        {"old": {"a": 1, "b": 2}, "new": {"a": 1, "b": 3}, "keys": {"a": 1}, "change": "updated"},
    ),
    (
        "http",
        [{"at": ['event["a"]["host"]', 'event["a"]["port"]'], "is": "authority", "as": "'{}[:{ | whole}]'"}],
        {"a": {"host": "x.example", "port": None}},
        {"authority": "x.example"},
    ),
    (
        "http",
        [
            {"at": 'event["h"]', "is": "headers.plain", "as": "pairs"},
            {"at": 'event["c"]', "is": "cookies", "as": "by_name | as_words('=')"},
            {"at": 'event["who"]["sub"]', "is": "principal.id", "optional": True},
            {"at": 'event["who"]', "is": "principal.claims", "as": "others(sub)"},
        ],
        {"h": [], "c": {"sid": "1", "b": "2"}, "who": {"sub": "m-1", "guild": "north"}},
        {"headers": [("cookie", "sid=1; b=2")], "principal": {"id": "m-1", "claims": {"guild": "north"}}},
    ),
    (
        "http",
        [{"at": 'event["url"]', "is": "{scheme}://{authority}{target}"}],
        {"url": "http://x.example:8080/a/b?c=%20"},
        {"scheme": "http", "authority": "x.example:8080", "path.raw": "/a/b", "query.raw": "c=%20"},
    ),
    (
        "http",
        [{"at": 'event["hops"]', "is": ["{_...}, {client}", "{client}"]}],
        {"hops": "198.51.100.7"},
        {"client": "198.51.100.7"},
    ),
    (
        "http",
        [{"at": 'event["h"]', "is": "headers.plain", "as": "pairs"}]
        + [{"at": 'event["c"]', "is": "cookies", "as": "records(n, v) | as_words('=')"}],
        {"h": [("a", "1")], "c": [{"n": "sid", "v": "1"}, {"n": "b", "v": ""}]},
        {"headers": [("a", "1"), ("cookie", "sid=1; b=")]},
    ),
    (
        "http",
        [
            {"at": 'event["h"]', "is": "headers", "as": "pairs"},
            {"at": 'event["t"]', "is": "body", "as": "json_or_text"},
        ],
        {"h": [("content-type", "text/plain")], "t": "[1]"},
        {"body": b"[1]"},
    ),
    (
        "http",
        [
            {"at": 'event["h"]', "is": "headers", "as": "pairs"},
            {"at": 'event["t"]', "is": "body", "as": "json_or_text"},
        ],
        {"h": [("content-type", "application/json")], "t": [1]},
        {"body": b"[1]"},
    ),
]


@pytest.mark.parametrize(("kind", "rows", "stands", "means"), TOGETHER)
def test_fields_that_follow_from_others_come_back(
    tmp_path: Path, kind: str, rows: list[dict[str, Any]], stands: dict[str, Any], means: dict[str, Any]
) -> None:
    model = {"provider": "it", "edition": 1, "title": "It", "about": "a form"}
    model |= {"handler": {"parameters": ["event"], "event": ["event"]}, kind: {"event": {"rows": rows}}}
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    profile = find_profile(str(tmp_path / "it.yaml"))
    (read,) = read_events(json.loads(json.dumps(stands)), profile, "x", kind=kind)[1]
    assert {name: read[name] for name in means} == means
    (again,) = write_events(kind, [dict(read)], profile)
    assert json.loads(json.dumps(again)) == json.loads(json.dumps(stands))


#: How texts by name stand in one text, or a list → one that can be told apart, and one that can't.
APART = [
    ("words(';', '=') | texts", {"a": "x=y"}, {"a": "x;y"}),
    ("words(';', '=') | texts", {"a b": ""}, {"a=b": "x"}),
    ("list_of_words(':') | texts", {"a": "x:y"}, {"a:b": "x"}),
    ("words(';', '=') | percent_pairs | texts", {"a": "x;y"}, None),
]


@pytest.mark.parametrize(("form", "told", "untold"), APART)
def test_texts_that_hold_what_tells_them_apart_are_told_as_lost(
    tmp_path: Path, form: str, told: dict[str, str], untold: dict[str, str] | None
) -> None:
    profile = profile_of(tmp_path, "object", "labels", {"as": form})
    losses = [one for one in event_losses(profile.kinds["object"].event) if one.code == "pairs-unreadable"]
    assert losses
    for labels, lost in ((told, False), (untold, True)):
        assert labels is None or any(one.applies({"labels": labels}) for one in losses) is lost
    assert not [one for one in lint(str(tmp_path / "it.yaml"), examples=20) if one.broken is not None]


@pytest.mark.parametrize("form", ["units(1024)", "digits", "hexadecimal", "number_text"])
def test_a_number_of_which_there_may_be_none_comes_back_as_none(tmp_path: Path, form: str) -> None:
    profile_of(tmp_path, "object", "size", {"as": form, "optional": True})
    assert not [one for one in lint(str(tmp_path / "it.yaml"), examples=20) if one.broken is not None]


def test_an_address_that_would_stand_among_header_fields_that_leave_it_out_is_a_loss(tmp_path: Path) -> None:
    profile = profile_of(tmp_path, "http", "headers", {"as": "lists"})
    assert ("no-authority", "authority") in {(one.code, one.field) for one in event_losses(profile.kinds["http"].event)}


def test_a_record_that_is_told_neither_before_nor_after_is_refused(tmp_path: Path) -> None:
    rows = [{"at": 'event["old"]', "is": "old"}, {"at": 'event["new"]', "is": "new"}]
    model = {"provider": "it", "edition": 1, "title": "It", "about": "a form", "record": {"event": {"rows": rows}}}
    model |= {"handler": {"parameters": ["event"], "event": ["event"]}}
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    with pytest.raises(BadInput, match="it can't be said what happened to it"):
        read_events({"old": None, "new": None}, find_profile(str(tmp_path / "it.yaml")), "x", kind="record")


#: What a text can't be, as a message says it.
BAD_TEXTS = [
    ("{a}{b}", "two parts with no text between them", 4),
    ("a]", "no [ to this ]", 2),
    ("[a", "no ] to this [", 1),
    ("[{x}]", "begins with a text by which it is told", 1),
    ("{A}", "can't be the name of a field", 1),
    ("{", "write {{ for a brace", 1),
    ("".join(f"{{x}}{n}" for n in range(40)), "more than 32 parts", 1),
]


@pytest.mark.parametrize(("text", "says", "column"), BAD_TEXTS)
def test_a_text_that_can_not_be_taken_apart_is_refused(text: str, says: str, column: int) -> None:
    with pytest.raises(TemplateError, match=re.escape(says)) as error:
        parse_template(text)
    assert error.value.column == column


#: a row that can't stand → what its message says
BAD_ROWS = [
    ({"is": "{metod} {target}"}, "no hub field 'metod' (did you mean 'method'?)"),
    ({"is": "{method | digits} {target}"}, "lens digits is for integer"),
    ({"as": "since_1970(hour)", "is": "time"}, "'hour' is no unit of time"),
    ({"as": "since_1970(s, hex)", "is": "time"}, "'hex' is no form of a number"),
    ({"as": "by_word", "flag": 'event["w"]', "is": "body"}, "takes a lens for each word"),
    ({"as": "quoted", "words": {"a": "b"}}, "lens quoted takes no words"),
    ({"at": ['event["a"]', 'event["b"]'], "is": "id", "as": "'{}'"}, "has 1 parts, and there are 2 places"),
    ({"at": ['event["a"]', 'event["b"]'], "is": "id"}, "has 0 parts, and there are 2 places"),
    (
        {"at": ['event["a"]', 'event["b"]'], "is": ["{id}"], "as": "'{}/{}'"},
        "several places, or a text of several fields",
    ),
    ({"as": "base64 | nope", "is": "body"}, "there is no lens 'nope'"),
    ({"as": "whole(x)", "is": "id"}, "whole takes a whole number of 100 at most, not 'x'"),
    ({"as": "fraction(999)", "is": "id"}, "fraction takes a whole number of 100 at most"),
    ({"as": "counted_from(first)", "is": "attempt"}, "counted_from takes a whole number"),
    ({"as": "joined_by_name('') | texts", "is": "attributes"}, "joined_by_name takes what stands between"),
    ({"as": "typed_texts(n, t, v)", "is": "attributes"}, "typed_texts needs the provider's words for types"),
    ({"or_at": 'event["y"]', "is": ["a {id}", "b {id}"]}, "one field, of one place each"),
    ({"as": "commas", "is": "query"}, "can't be read back exactly"),
    (
        {"as": "gzip | base64", "is": "body"},
        "gzip | base64 don't follow on each other: gzip can't take what base64 gives",
    ),
    ({"is": "{content_type};base64,{body | base64}"}, "nothing is read of content_type in this text"),
    ({"is": "id", "read_only": True}, "id is read at a place that nothing writes, and that may not be missing"),
    ({"is": "time", "as": "time('WWW, DD MMM YYYY')"}, "'WW' is no part of a time in 'WWW, DD MMM YYYY'"),
    ({"is": "{id} {captures}"}, "captures holds texts, and nothing says how that stands in a text"),
]


@pytest.mark.parametrize(("says", "message"), BAD_ROWS)
def test_a_row_that_can_not_be_turned_around_is_refused_with_its_line(
    tmp_path: Path, says: dict[str, Any], message: str
) -> None:
    with pytest.raises(BadInput, match=re.escape(message)) as error:
        profile_of(tmp_path, "http", "id", says)
    assert "it.yaml:" in str(error.value)


def test_a_text_is_taken_apart_once_however_long_it_is(tmp_path: Path) -> None:
    """What follows a part is looked for from one end, so a hostile text costs what it is long."""
    profile = profile_of(tmp_path, "http", "id", {"is": "{method}-{route}-{client}-{authority}-{scheme}[-{_}]"})
    with pytest.raises(BadInput, match="is not of the form"):
        read_events({"x": "-a" * 2 + "b" * 2_000_000, **BESIDE}, profile, "x", kind="http")


def test_files_made_for_content_are_removed_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(of_contents, "FILES", [])
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    paths = [of_contents.file_with(b"%d" % number) for number in range(150)]
    assert of_contents.bytes_in_file(paths[-1]) == b"149"
    assert sorted(map(str, tmp_path.iterdir())) == sorted(map(str, paths[-100:]))
    of_contents.remove_files(0)
    assert not list(tmp_path.iterdir())


#: rows of an answer that is a mapping, what a handler returns, and what a client sees of it
ANSWERS: list[tuple[list[dict[str, Any]], dict[str, Any], dict[str, Any]]] = [
    ([{"at": 'reply["s"]', "is": "{status | digits}[ {_}]"}], {"s": "201 Created"}, {"status": 201}),
    ([{"at": 'reply["s"]', "is": "{status}[ {_}]"}], {"s": "201 Created"}, {"status": 201}),
    ([{"at": 'reply["s"]', "is": "status", "words": {"ok": 200, "missing": 404}}], {"s": "missing"}, {"status": 404}),
    (
        [
            {"at": 'reply["t"]', "is": "header.content-type", "optional": True, "unless_empty": True},
            {"at": 'reply["to"]', "is": "header.location", "optional": True, "unless_empty": True},
            {"at": 'reply["h"]', "is": "headers", "as": "lists"},
        ],
        {"h": {"x-a": ["1", "2"]}, "t": "text/csv"},
        {"headers": [("x-a", "1"), ("x-a", "2"), ("content-type", "text/csv")]},
    ),
    ([{"at": 'reply["to"]', "is": "header.location"}], {"to": "/x"}, {"headers": [("location", "/x")]}),
    (
        [{"at": 'reply["c"]', "is": "set_cookies", "as": "cookie_records(max_age=ttl)"}],
        {"c": [{"name": "sid", "value": "1", "ttl": 5, "path": "/", "secure": True}]},
        {"headers": [("set-cookie", "sid=1; Max-Age=5; Path=/; Secure")]},
    ),
    ([{"at": "reply", "is": "body", "as": BY_KEY}], {"t": "é"}, {"body": "é".encode()}),
    ([{"at": "reply", "is": "body", "as": BY_KEY}], {"p": "AP8="}, {"body": b"\x00\xff"}),
]


def declared_by(trigger: dict[str, Any]) -> dict[str, Any]:
    """Return how functions of such a provider are declared: a list, each with its code and its triggers."""
    entry = {"at": "code", "is": "entry", "as": "file_entry(':')"}
    functions = {"at": "fs", "named_by": "name", "triggers_at": "when", "triggers": [trigger], "rows": [entry]}
    return {"file": "it.def.yaml", "syntax": "yaml", "functions": functions}


def answering(tmp_path: Path, rows: list[dict[str, Any]], **more: Any) -> Profile:
    event = {"rows": [{"at": 'event["id"]', "is": "id"}]}
    model: dict[str, Any] = {"provider": "it", "edition": 1, "title": "It", "about": "an answer"}
    model |= {"handler": {"parameters": ["event"], "event": ["event"]}}
    model["http"] = {"event": event, "reply": {"forms": [{"when": "mapping", "written": True, "rows": rows}], **more}}
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    return find_profile(str(tmp_path / "it.yaml"))


@pytest.mark.parametrize(("rows", "returned", "seen"), ANSWERS)
def test_parts_of_an_answer_stand_in_many_forms_and_come_back(
    tmp_path: Path, rows: list[dict[str, Any]], returned: dict[str, Any], seen: dict[str, Any]
) -> None:
    shape = answering(tmp_path, rows).reply
    read = run_source(translate_reply("read", shape, HUB_REPLY))
    write = run_source(translate_reply("write", HUB_REPLY, shape))
    answer = read(returned)
    assert {name: answer[name] for name in seen} == seen
    written = write(answer)
    assert {name: one for name, one in written.items() if name in returned} == {
        **returned,
        **said_in_full(rows, returned),
    }
    assert read(written) == answer


def said_in_full(rows: list[dict[str, Any]], returned: dict[str, Any]) -> dict[str, Any]:
    """Return what comes back otherwise than it was said: a text without what is nobody's."""
    return {"s": returned["s"].split()[0]} if "{_}" in str(rows) else {}


UNREAD = [
    (
        [{"at": 'reply["h"]', "is": "headers", "as": "lists"}, {"at": 'reply["t"]', "is": "content_type"}],
        "content_type",
    ),
    ([{"at": 'reply["h"]', "is": "headers", "as": "lists"}, {"at": 'reply["c"]', "is": "set_cookies"}], "set_cookies"),
]


@pytest.mark.parametrize(("rows", "field"), UNREAD)
def test_a_row_that_nothing_reads_is_refused(tmp_path: Path, rows: list[dict[str, Any]], field: str) -> None:
    """Its value would have been lost without a word: header fields come whole from the other row."""
    with pytest.raises(BadInput, match=rf"nothing is read of this row \({field}\)"):
        answering(tmp_path, rows)


@pytest.mark.parametrize(
    ("model", "says"),
    [
        ({"takes": ["code=200"], "sets": {"code": "code"}}, "'code' is a method and what the class takes"),
        ({"takes": ["code=200"], "sets": {"mark": "kode"}}, "'kode' is none of what the class takes"),
        ({"takes": ["code=200"], "adds": {"line": "lines"}}, "'lines' is none of what the class takes"),
    ],
)
def test_a_class_of_an_answer_that_can_not_be_is_refused(model: dict[str, Any], says: str) -> None:
    with pytest.raises(ValueError, match=re.escape(says)):
        ClassModel.model_validate(model)


def test_a_time_that_its_places_cannot_be_made_of_is_refused(tmp_path: Path) -> None:
    """A whole second has no fraction: what is put together of two numbers would come out as another time."""
    says = {"at": ['event["s"]', 'event["n"]'], "as": "'{ | whole}.{ | fraction(9)}' | since_1970(s, split)"}
    with pytest.raises(BadInput, match=r"2027-03-14T09:26:53Z is '1805016413' there, which can't be taken apart"):
        profile_of(tmp_path, "schedule", "time", says)


@pytest.mark.parametrize(
    "name",
    some(["quernby-1", "hesket-1", "cobblewick-1", "tarrowmere-1", "thistlemoor-2", "cinderwick-1", "larkspur-1"], 7),
)
def test_a_provider_that_says_all_in_such_forms_keeps_every_law(name: str) -> None:
    """Its handlers are generated and carried by the fuzzer as well, to every target and back."""
    path = ROOT / "tests" / "profiles" / f"{name}.yaml"
    broken = [one for one in lint(str(path), examples=30) if one.broken is not None]
    assert not broken


CSV = '{"content-type": "text/csv", "x-a": "1"}'
PAIRED = '[("content-type", "text/csv"), ("x-a", "1")]'
#: how header fields, status and content of an answer stand, and what a handler says there
ANSWERED: list[tuple[str, str, str, tuple[str, str, str]]] = [
    ("joined_by_name | title_names", "plain", "text", ('{"Content-Type": "text/csv", "X-A": "1"}', "201", '"größe"')),
    ("lists", "plain", "text", ('{"content-type": ["text/csv"], "x-a": ["1"]}', "201", '"größe"')),
    ("records(n, v)", "plain", "text", ('[{"n": "content-type", "v": "text/csv"}]', "201", '"größe"')),
    ("one_or_list", "digits", "text", (CSV, '"201"', '"größe"')),
    ("list_of_words(': ')", "plain", "text", ('["content-type: text/csv", "x-a: 1"]', "201", '"größe"')),
    ("two_lists(n, v)", "plain", "hex", ('{"n": ["content-type"], "v": ["text/csv"]}', "201", '"6162"')),
    ("flat", "plain", "text", ('["content-type", "text/csv", "x-a", "1"]', "201", '"größe"')),
    ("by_name | camel_names", "plain", "text", ('{"contentType": "text/csv", "xA": "1"}', "201", '"größe"')),
    ("pairs", "status_line", "utf8", (PAIRED, '"201 Created"', '"größe"')),
    ("pairs", "plain", "base64", (PAIRED, "201", '"Z3I="')),
    ("pairs", "plain", "bytes_or_text", (PAIRED, "201", 'b"a"')),
    ("pairs", "plain", "json_value", (PAIRED, "201", '{"a": 1}')),
]


@pytest.mark.parametrize(("fields", "status", "content", "said"), some(ANSWERED, 6))
def test_answers_in_any_form_are_rewritten_and_proven(
    tmp_path: Path, fields: str, status: str, content: str, said: tuple[str, str, str]
) -> None:
    """What no handler puts together an emitted function does; a parameter that nothing is told of is none's."""
    rows = [{"at": 'reply["s"]', "is": "status"}, {"at": 'reply["h"]', "is": "headers", "as": fields}]
    rows = [*rows, {"at": 'reply["b"]', "is": "body", "as": content}]
    rows[0] |= {"as": status} if status != "plain" else {}
    model: dict[str, Any] = {"provider": "it", "edition": 1, "title": "It", "about": "an answer"}
    model |= {"handler": {"parameters": ["event", "context"], "event": ["event"]}}
    event = {"rows": [{"at": 'event["method"]', "is": "method"}, {"at": 'event["query"]', "is": "query.raw"}]}
    model["http"] = {"event": event, "reply": {"forms": [{"when": "mapping", "written": True, "rows": rows}]}}
    model["definition"] = declared_by(
        {"kind": "http", "told_by": "web", "rows": [{"at": "web", "is": "methods_and_route"}]}
    )
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    heads, code, body = said
    here = {
        "it.def.yaml": "fs: [{name: f, code: 'h.py:f', when: [{web: GET /f}]}]\n",
        "h.py": f'def f(event, context):\n    heads = {heads}\n    if event["query"]:\n'
        f'        return {{"s": {code}, "h": {heads}, "b": {body}}}\n'
        f'    return {{"s": {code}, "h": heads, "b": {body}}}\n',
    }
    there = {
        "ostermere.yaml": "app: a\njobs:\n  f: {code: h.py#f, when: [{web: GET /f}]}\n",
        "h.py": f'def f(event, ctx):\n    if event["call"]["search"]:\n        return {{"code": 201, "fields": {CSV}, '
        '"content": "gr"}\n    return {"code": 200, "fields": {"x-b": event["call"]["verb"]}, "content": "x"}\n',
    }
    it, own = str(tmp_path / "it.yaml"), {"one": "GET /f?x=1", "two": "GET /f"}
    for name, files, source, to in (("here", here, it, "thornwick@1"), ("there", there, "ostermere@1", it)):
        requests = {f"samples/f/{one}.http": f"{line} HTTP/1.1\nhost: a\n\n" for one, line in own.items()}
        made = carry(
            put(tmp_path / name, {**files, **requests}), to=to, source=source, out=tmp_path / f"{name}_carried"
        )
        assert [one.style for one in made.record.functions] == ["native"]
        result = check(tmp_path / f"{name}_carried")
        assert all(one.expected.startswith("replied 20") for one in result.checked)
        if content == "json_value" and name == "there":  # which can't hold a text that is no JSON: it is told
            assert "json-respelt" in {one.code for one in made.findings}
            continue
        assert {one.verdict for one in result.checked} == {Verdict.SAME}, [one.differences for one in result.checked]


@pytest.mark.parametrize("language", ["python", "javascript"])
def test_a_parameter_of_which_a_profile_tells_nothing_is_nothing(tmp_path: Path, language: str) -> None:
    profile = profile_of(tmp_path, "signal", "name", {})
    model = yaml.safe_load(profile.path.read_text())
    model["handler"]["parameters"] = ["event", "context"]
    model["javascript"] = {"about": "it"}
    model["definition"] = declared_by({"kind": "signal", "told_by": "word", "rows": [{"at": "word", "is": "source"}]})
    profile.path.write_text(yaml.safe_dump(model))
    told = next(one for one in lint(str(profile.path), examples=1) if one.law == "every parameter is told of")
    assert "no row says what context has" in told.unseen
    file, text = {
        "python": ("h.py", "def f(event, context):\n    raise ValueError(f\"{context} {event['x']}\")\n"),
        "javascript": (
            "h.mjs",
            "export const f = (event, context) => {\n  throw new RangeError(`${context} ${event.x}`);\n};\n",
        ),
    }[language]
    (tmp_path / "here" / "samples" / "f").mkdir(parents=True)
    (tmp_path / "here" / "samples" / "f" / "a.yaml").write_text("kind: signal\nevent: {name: a}\n")
    (tmp_path / "here" / "it.def.yaml").write_text(f"fs: [{{name: f, code: '{file}:f', when: [{{word: a}}]}}]\n")
    (tmp_path / "here" / file).write_text(text)
    made = carry(tmp_path / "here", to="thornwick@1", source=str(profile.path), out=tmp_path / "there")
    assert [one.style for one in made.record.functions] == ["wrapped"]
    (one,) = check(tmp_path / "there").checked
    assert (one.verdict, one.expected[-6:]) == (Verdict.SAME, {"python": "None a", "javascript": "null a"}[language])


#: how key, content and labels of an object and a record stand in calls, and what a handler says there
CALLED: list[tuple[tuple[str, str, str, str], tuple[str, str, str, str]]] = [
    (("", "bytes", "", ""), ('"n/1"', 'b"gr"', '{"x": "1"}', '{"a": 1}')),
    (("percent", "base64", "records(n, v) | texts", ""), ('"n%2F1"', '"Z3I="', '[{"n": "x", "v": "1"}]', '{"a": 1}')),
    (("", "utf8", "words(';', '=') | texts", "json_text"), ('"n/1"', '"größe"', '"x=1"', "'{\"a\":1}'")),
    (("", "hex", "", "records(n, v) | as_record"), ('"n/1"', '"6162"', "None", '[{"n": "a", "v": 1}]')),
    (("", "octets", "", "tagged({'n': number})"), ('"n/1"', "[1, 2]", "None", '{"a": {"n": 1}}')),
    (("", "base64 | gzip", "", ""), ('"n/1"', '"H4sIAAAAAAACA6sAAIMW3IwBAAAA"', "None", '{"a": 1}')),
]


@pytest.mark.parametrize(("forms", "said"), some(CALLED, 3))
def test_calls_in_any_form_do_the_same_elsewhere(
    tmp_path: Path, forms: tuple[str, str, str, str], said: tuple[str, str, str, str]
) -> None:
    """What they are given and what they give back stands as each provider has it, or the handler is wrapped."""
    key, body, labels, record = ({"as": one} if one else {} for one in forms)
    model: dict[str, Any] = {"provider": "it", "edition": 1, "title": "It", "about": "calls"}
    model |= {"handler": {"parameters": ["event"], "event": ["event"]}}
    where: list[dict[str, Any]] = [{"at": "bucket", "is": "bucket"}, {"at": "key", "is": "key", **key}]
    more = {"at": "labels", "is": "labels", **labels, "optional": True, "null_if_empty": True}
    write: dict[str, Any] = {"does": "object.write", "takes": ["bucket", "key", "data", "labels=None"]}
    write |= {"rows": [*where, {"at": "data", "is": "body", **body}, more]}
    get: dict[str, Any] = {"does": "object.read", "takes": ["bucket", "key"], "rows": where}
    get |= {"returns": [{"at": 'returned["data"]', "is": "body", **body}]}
    keep: dict[str, Any] = {"does": "record.write", "takes": ["table", "key", "row"]}
    keep |= {
        "rows": [{"at": "table", "is": "table"}, {"at": "key", "is": "keys"}, {"at": "row", "is": "record", **record}]
    }
    model["clients"] = {"it": {"store.put": write, "store.get": get, "rows.put": keep}}
    model["signal"] = {"event": {"rows": [{"at": 'event["name"]', "is": "name"}]}}
    model["definition"] = declared_by({"kind": "signal", "told_by": "word", "rows": [{"at": "word", "is": "source"}]})
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    where_it, data, told, row = said
    here = {
        "it.def.yaml": "fs: [{name: f, code: 'h.py:f', when: [{word: a}]}]\n",
        "h.py": "from it import rows, store\n\n\ndef f(event):\n"
        f'    store.put("b", {where_it}, {data}, labels={told})\n'
        f'    rows.put("t", {{"id": "1"}}, {row})\n    raise ValueError(repr(store.get("b", {where_it})["data"]))\n',
    }
    there = {
        "ostermere.yaml": "app: a\njobs:\n  f: {code: h.py#f, when: [{bell: a}]}\n",
        "h.py": "from ostermere import books, stores\n\n\ndef f(event, ctx):\n"
        '    stores.put("b", "n/1", b"a", labels={"x": "1"})\n'
        '    books.write("t", {"id": "1"}, {"a": 1})\n    raise ValueError(repr(stores.fetch("b", "n/1")))\n',
    }
    it = str(tmp_path / "it.yaml")
    for name, files, source, to in (("here", here, it, "thornwick@1"), ("there", there, "ostermere@1", it)):
        folder = put(tmp_path / name, {**files, "samples/f/a.yaml": "kind: signal\nevent: {name: a}\n"})
        carry(folder, to=to, source=source, out=tmp_path / f"{name}_carried")
        (one,) = check(tmp_path / f"{name}_carried").checked
        assert (one.verdict, one.expected[-9:]) == (Verdict.SAME, "2 effects"), one.differences


#: a language → a handler that reaches services by what it is handed, of which no row tells anything else
BY_WHAT_IS_HANDED = {
    "h.py": 'def f(event, context):\n    context.store.put("b", "n%2F1", "Z3I=")\n'
    '    raise ValueError(repr(context.store.get("b", "n%2F1")["data"]))\n',
    "h.mjs": 'export const f = async (event, context) => {\n  await context.store.put("b", "n%2F1", "Z3I=");\n'
    '  throw new RangeError((await context.store.get("b", "n%2F1")).data);\n};\n',
}


@pytest.mark.parametrize("file", BY_WHAT_IS_HANDED)
def test_services_that_a_handler_is_handed_are_reached_elsewhere(tmp_path: Path, file: str) -> None:
    """Where it goes they are handed over as well, under another name."""
    where = [{"at": "bucket", "is": "bucket"}, {"at": "key", "is": "key", "as": "percent"}]
    put: dict[str, Any] = {"does": "object.write", "takes": ["bucket", "key", "data"]}
    put |= {"rows": [*where, {"at": "data", "is": "body", "as": "base64"}]}
    get: dict[str, Any] = {"does": "object.read", "takes": ["bucket", "key"], "rows": where}
    get |= {"returns": [{"at": 'returned["data"]', "is": "body", "as": "base64"}]}
    model: dict[str, Any] = {
        "provider": "it",
        "edition": 1,
        "title": "It",
        "about": "calls",
        "javascript": {"about": "it"},
    }
    model |= {"handler": {"parameters": ["event", "context"], "event": ["event"]}}
    model |= {"clients": {"context": {"store.put": put, "store.get": get}}}
    model["signal"] = {"event": {"rows": [{"at": 'event["name"]', "is": "name"}]}}
    model["definition"] = declared_by({"kind": "signal", "told_by": "word", "rows": [{"at": "word", "is": "source"}]})
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    (tmp_path / "here" / "samples" / "f").mkdir(parents=True)
    (tmp_path / "here" / "samples" / "f" / "a.yaml").write_text("kind: signal\nevent: {name: a}\n")
    (tmp_path / "here" / "it.def.yaml").write_text(f"fs: [{{name: f, code: '{file}:f', when: [{{word: a}}]}}]\n")
    (tmp_path / "here" / file).write_text(BY_WHAT_IS_HANDED[file])
    for to in ("brackendale@1", "ostermere@1"):
        carry(tmp_path / "here", to=to, source=str(tmp_path / "it.yaml"), out=tmp_path / to)
        (one,) = check(tmp_path / to).checked
        assert (one.verdict, "Z3I=" in one.expected) == (Verdict.SAME, True), one.differences
    model["clients"]["context"]["put"] = model["clients"]["context"].pop("store.put")
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    with pytest.raises(BadInput, match="'put' has no group before it"):
        find_profile(str(tmp_path / "it.yaml"))


TOKEN = "eyJhbGciOiJIUzI1NiJ9.eyJzdWIiOiJtLTEyIiwicm9sZSI6IndhcmRlbiJ9.c2ln"  # RFC 7515's compact form
#: rows for a token that holds claims, what `let` names for them, and who is meant by an event
IN_A_TOKEN: list[tuple[list[dict[str, Any]], dict[str, str], dict[str, Any], dict[str, Any]]] = [
    (
        [
            {"at": "pieces[0]", "is": "{_=e30}"},
            {"at": "pieces[2]", "is": "{_=x}"},
            {"at": 'claims["sub"]', "is": "principal.id", "optional": True},
            {"at": "claims", "is": "principal.claims", "as": "others(sub)", "optional": True},
        ],
        {"pieces": "ask[\"token\"] | apart('.')", "claims": "pieces[1] | base64url | decoded | json_text"},
        {},
        {"id": "m-12", "claims": {"role": "warden"}},
    ),
    (
        [
            {"at": 'ask["user"]', "is": "principal.id", "optional": True},
            {
                "at": 'ask["token"]',
                "is": "{_=e30}.{principal.claims | base64url | decoded | json_text}.{_}",
                "optional": True,
            },
        ],
        {},
        {"user": "m-3"},
        {"id": "m-3", "claims": {"sub": "m-12", "role": "warden"}},
    ),
]


def with_a_token(folder: Path, rows: list[dict[str, Any]], let: dict[str, str]) -> Profile:
    """Return Larkspur's profile with rows for a token."""
    model = yaml.safe_load((ROOT / "tests" / "profiles" / "larkspur-1.yaml").read_text())
    event = model["http"]["event"]
    event["rows"] += rows
    event |= {"let": let} if let else {}
    (folder / "larkspur-1.yaml").write_text(yaml.safe_dump(model))
    return find_profile(str(folder / "larkspur-1.yaml"))


@pytest.mark.parametrize(("rows", "let", "more", "who"), IN_A_TOKEN)
def test_claims_stand_in_a_token(
    tmp_path: Path, rows: list[dict[str, Any]], let: dict[str, str], more: dict[str, Any], who: dict[str, Any]
) -> None:
    profile = with_a_token(tmp_path, rows, let)
    ask = {"ref": "a", "at": "2026-11-24 06:10:00 +00:00", "verb": "GET", "secure": True, "target": "/x", "peer": ""}
    ask |= {"host": {"name": "h", "port": None}, "route": "/x", "head": [], "body": None, "token": TOKEN, **more}
    kind, (event,) = read_events({"ask": ask, "captures": {}}, profile, "it")
    assert (kind, event["principal"]) == ("http", who)
    assert not [one for one in lint(profile, examples=15) if one.kind == "http" and one.broken is not None]


def test_what_follows_only_together_with_another_field_is_told(tmp_path: Path) -> None:
    rows, let, _, _ = IN_A_TOKEN[1]
    with pytest.raises(BadInput, match=r"principal follows from it only together with principal\.id"):
        with_a_token(tmp_path, rows[1:], let)


#: RFC 6902, appendix A: a document, a patch, and what that makes of it; None for an error
RFC_6902: list[tuple[Any, list[dict[str, Any]], Any]] = [
    ({"foo": "bar"}, [{"op": "add", "path": "/baz", "value": "qux"}], {"baz": "qux", "foo": "bar"}),
    ({"foo": ["bar", "baz"]}, [{"op": "add", "path": "/foo/1", "value": "qux"}], {"foo": ["bar", "qux", "baz"]}),
    ({"baz": "qux", "foo": "bar"}, [{"op": "remove", "path": "/baz"}], {"foo": "bar"}),
    ({"foo": ["bar", "qux", "baz"]}, [{"op": "remove", "path": "/foo/1"}], {"foo": ["bar", "baz"]}),
    ({"baz": "qux"}, [{"op": "replace", "path": "/baz", "value": "boo"}], {"baz": "boo"}),
    (
        {"foo": {"bar": "baz", "waldo": "fred"}, "qux": {"corge": "grault"}},
        [{"op": "move", "from": "/foo/waldo", "path": "/qux/thud"}],
        {"foo": {"bar": "baz"}, "qux": {"corge": "grault", "thud": "fred"}},
    ),
    (
        {"foo": ["all", "grass", "cows", "eat"]},
        [{"op": "move", "from": "/foo/1", "path": "/foo/3"}],
        {"foo": ["all", "cows", "eat", "grass"]},
    ),
    (
        {"baz": "qux", "foo": ["a", 2, "c"]},
        [{"op": "test", "path": "/baz", "value": "qux"}, {"op": "test", "path": "/foo/1", "value": 2}],
        {"baz": "qux", "foo": ["a", 2, "c"]},
    ),
    ({"baz": "qux"}, [{"op": "test", "path": "/baz", "value": "bar"}], None),
    (
        {"foo": "bar"},
        [{"op": "add", "path": "/child", "value": {"grandchild": {}}}],
        {"foo": "bar", "child": {"grandchild": {}}},
    ),
    ({"foo": "bar"}, [{"op": "add", "path": "/baz", "value": "qux", "xyz": 123}], {"foo": "bar", "baz": "qux"}),
    ({"foo": "bar"}, [{"op": "add", "path": "/baz/bat", "value": "qux"}], None),
    ({"/": 9, "~1": 10}, [{"op": "test", "path": "/~01", "value": 10}], {"/": 9, "~1": 10}),
    ({"/": 9, "~1": 10}, [{"op": "test", "path": "/~01", "value": "10"}], None),
    (
        {"foo": ["bar"]},
        [{"op": "add", "path": "/foo/-", "value": ["abc", "def"]}],
        {"foo": ["bar", ["abc", "def"]]},
    ),
]


@pytest.mark.parametrize(("document", "patch", "made"), RFC_6902)
def test_patches_do_what_their_standard_says(document: Any, patch: list[dict[str, Any]], made: Any) -> None:
    before = json.dumps(document)
    if made is None:
        with pytest.raises(ValueError, match="JSON Patch"):
            of_records.json_patched(patch, document)
    else:
        assert of_records.json_patched(patch, document) == made
        assert of_records.json_patched(of_records.json_patch_of(made, document), document) == made
    assert json.dumps(document) == before
