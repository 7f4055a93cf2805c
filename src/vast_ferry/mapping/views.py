"""How hub fields follow from one another: a view from its truths, and a truth from its views if only those are given.

A rule that does not give back the truth says what is lost. Rules are tried in order; the compiler takes the first whose
needs a shape gives directly, so that what both sides have in one form passes through untouched.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Final
from urllib.parse import quote, unquote

from vast_ferry.hub.fields import Field
from vast_ferry.hub.kinds import KINDS, is_request
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.losses import Fields, Loss


@dataclass(frozen=True, slots=True)
class Rule:
    """`gives` follows from `needs` by `build`, with these losses."""

    gives: str
    needs: tuple[str, ...]
    build: Callable[..., Expression]
    losses: tuple[Loss, ...] = ()


#: A path that is spelt as usual: unreserved characters (RFC 3986 §2.3) and slashes.
PLAIN_PATH: Final = re.compile(r"[A-Za-z0-9/_.~-]*")


def _helper(name: str, *more: str) -> Callable[..., Expression]:
    return lambda *parts: helper(name, *parts, *(ex.Literal(value) for value in more))


def _respelt(path: str) -> bool:
    if PLAIN_PATH.fullmatch(path):
        return False
    return quote(unquote(path), safe="/!$&'()*+,;=:@~") != path


def _query_respelt(raw: str) -> bool:
    if helpers.PLAIN_QUERY.fullmatch(raw):
        return False
    return helpers.build_query(helpers.parse_query(raw)) != raw


def _slashes(fields: Fields) -> bool:
    return "%2f" in fields["path.raw"].lower()


def _cookies_respelt(fields: Fields) -> bool:
    raw = helpers.cookie_of(fields["headers"])
    return helpers.join_cookies(helpers.split_cookies(raw)) != raw


SPELLING_OF_PATH: Final = Loss(
    "path-respelt",
    "path.raw",
    "the path is spelt in another way than usual (escapes that need not be, lower-case hex digits)",
    "it arrives with the same meaning, spelt as usual",
    lambda fields: _respelt(fields["path.raw"]) and not _slashes(fields),
    harmless=True,
)
ENCODED_SLASH: Final = Loss(
    "encoded-slash",
    "path.raw",
    "the path holds an encoded slash (%2F)",
    "it arrives as a plain slash, and the path has one segment more",
    _slashes,
)
SPELLING_OF_QUERY: Final = Loss(
    "query-respelt",
    "query.raw",
    "the query is spelt in another way than usual (a part without `=`, an empty part, %20 for +, escapes)",
    "it arrives with the same names and values, spelt as usual",
    lambda fields: _query_respelt(fields["query.raw"]),
    harmless=True,
)

EVENT_RULES: Final = (
    Rule("path", ("path.raw",), _helper("decode_path")),
    Rule("path.raw", ("path",), _helper("encode_path"), (SPELLING_OF_PATH, ENCODED_SLASH)),
    Rule("query", ("query.raw",), _helper("parse_query")),
    Rule("query.raw", ("query",), _helper("build_query"), (SPELLING_OF_QUERY,)),
    Rule("target", ("path.raw", "query.raw"), _helper("target_of")),
    Rule(
        "headers",
        ("headers.plain", "cookies.raw"),
        _helper("with_cookie"),
        (
            Loss(
                "cookie-fields-joined",
                "headers",
                "Cookie comes in several fields (RFC 9113 §8.2.3)",
                "they arrive as one, joined by `; `",
                lambda fields: len(helpers.values_of(fields["headers"], "cookie")) > 1,
                harmless=True,
            ),
            Loss(
                "cookie-last",
                "headers",
                "other header fields come after Cookie",
                "it arrives as the last of them",
                lambda fields: "cookie" in [name.lower() for name, _ in fields["headers"][:-1]],
                harmless=True,
            ),
        ),
    ),
    Rule("headers.plain", ("headers",), _helper("without", "cookie")),
    Rule("cookies.raw", ("headers",), _helper("cookie_of")),
    Rule(
        "cookies.raw",
        ("cookies",),
        _helper("join_cookies"),
        (
            Loss(
                "cookies-respelt",
                "cookies.raw",
                "cookies are not set apart by `; `",
                "they arrive set apart by `; `",
                _cookies_respelt,
                harmless=True,
            ),
        ),
    ),
    Rule("cookies", ("cookies.raw",), _helper("split_cookies")),
    Rule("content_type", ("headers.plain",), _helper("content_type_of")),
    Rule("content_type", ("headers",), _helper("content_type_of")),
    Rule("path.raw", ("target",), _helper("path_of_target")),
    Rule("query.raw", ("target",), _helper("query_of_target")),
    Rule("headers", ("headers.all",), _helper("without_framing")),
    Rule("authority", ("headers.all",), _helper("host_among")),
    Rule("headers.all", ("headers", "authority", "body"), _helper("pairs_with_host")),
    Rule("principal", ("principal.id", "principal.claims"), _helper("principal_of")),
    Rule(
        "principal",
        ("principal.id",),
        lambda name: helper("principal_of", name, ex.Literal({})),
        (
            Loss(
                "no-claims",
                "principal",
                "something is known of who calls",
                "only the id arrives",
                lambda fields: bool((fields["principal"] or {}).get("claims")),
            ),
        ),
    ),
    Rule("principal.id", ("principal",), _helper("id_of")),
    Rule("principal.known", ("principal",), _helper("whether_known")),
    Rule("principal.claims", ("principal",), _helper("claims_of")),
    Rule("body.length", ("body",), lambda body: ex.built_in("len", body)),
    Rule("time_left", ("limit",), _helper("clock_from")),
)

_CALL_RULES: Final = (Rule("time_left", ("limit",), _helper("clock_from")),)


def _side_lost(side: str) -> Loss:
    def changed(fields: Fields) -> bool:
        back, before = helpers.side_of_columns(_columns(fields), side), fields[side]
        return back != before or list(back or ()) != list(before or ())

    return Loss(
        "record-reshaped",
        side,
        "a record has no columns, is told of neither side, or has its columns in another order than the key's first",
        "it arrives as nothing, with its key, or with its columns in that order",
        changed,
        tried=True,
    )


def _columns(fields: Fields) -> list[dict[str, Any]]:
    return helpers.columns_of(fields["keys"], fields["old"], fields["new"])


def _key_lost(fields: Fields) -> bool:
    try:
        return bool(helpers.keys_named(list(fields["keys"]), fields["old"], fields["new"]) != fields["keys"])
    except ValueError:
        return True


#: A record that changed, column by column.
_RECORD_RULES: Final = (
    Rule(
        "keys",
        ("columns",),
        _helper("keys_of_columns"),
        (
            Loss(
                "key-changed",
                "keys",
                "a column of the key is null, or differs from what the record holds",
                "the key arrives as the record holds it",
                lambda fields: list(helpers.keys_of_columns(_columns(fields)).items()) != list(fields["keys"].items()),
                tried=True,
            ),
        ),
    ),
    *(Rule(side, ("columns",), _helper("side_of_columns", side), (_side_lost(side),)) for side in ("old", "new")),
    Rule("columns", ("keys", "old", "new"), _helper("columns_of")),
    Rule("columns.names", ("keys", "old", "new"), _helper("names_of_columns")),
    Rule("keys.names", ("keys",), lambda keys: ex.built_in("list", keys)),
    Rule(
        "keys",
        ("keys.names", "old", "new"),
        _helper("keys_named"),
        (
            Loss(
                "key-not-held",
                "keys",
                "the record does not hold its own key",
                "its key arrives as the record holds it, or the event can't be read",
                _key_lost,
                tried=True,
                unreadable=True,
            ),
        ),
    ),
    Rule("old.changed", ("old", "new"), _helper("changed_before")),
    Rule(
        "old",
        ("old.changed", "new"),
        _helper("before_change"),
        (
            Loss(
                "column-added",
                "old",
                "a column is there now that was not there before",
                "the record before arrives with that column, as it is now",
                lambda fields: (
                    helpers.before_change(helpers.changed_before(fields["old"], fields["new"]), fields["new"])
                    != fields["old"]
                ),
                tried=True,
            ),
        ),
    ),
    Rule(
        "change",
        ("old", "new"),
        _helper("change_of_sides"),
        (
            Loss(
                "change-by-sides",
                "change",
                "a record is not told as it was and as it is, as its change has it",
                "its change arrives as what these two say, or the event can't be read",
                lambda fields: (
                    (fields["old"] is None and fields["new"] is None)
                    or helpers.change_of_sides(fields["old"], fields["new"]) != fields["change"]
                ),
                tried=True,
                unreadable=True,
            ),
        ),
    ),
    *_CALL_RULES,
)

#: kind → rules: the forms that follow from one another
RULES: Final = {
    kind: EVENT_RULES if is_request(kind) else _RECORD_RULES if kind == "record" else _CALL_RULES for kind in KINDS
}

REPLY_RULES: Final = (
    Rule("headers", ("headers.plain", "set_cookies"), _helper("with_set_cookies")),
    Rule("headers.plain", ("headers",), _helper("without", "set-cookie")),
    Rule("set_cookies", ("headers",), _helper("values_of", "set-cookie")),
    Rule("content_type", ("headers.plain",), _helper("content_type_of")),
    Rule("content_type", ("headers",), _helper("content_type_of")),
)


def truths_of(field: str, fields: Mapping[str, Field], rules: tuple[Rule, ...]) -> set[str]:
    """Return the truths in which a loss of `field` shows: itself, or those from which it follows."""
    found: set[str] = set()
    seen: set[str] = set()
    stack = [field]
    if field in fields and fields[field].holds == "any":  # of a shape's own: what follows from it
        stack += [rule.gives for rule in rules if field in rule.needs]
    while stack:
        name = stack.pop()
        if name in seen or name not in fields:
            continue
        seen.add(name)
        if fields[name].truth:
            found.add(name)
        else:
            stack += [need for rule in rules if rule.gives == name for need in rule.needs]
    return found
