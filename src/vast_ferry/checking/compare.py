"""Two outcomes compared, part by part: how the call ended, what was answered (RFC 9110), and what was done."""

from __future__ import annotations

import itertools
import json
from collections.abc import Iterator, Sequence
from enum import StrEnum
from typing import Any

from vast_ferry.checking.exact_json import Difference, differences, parse_exact
from vast_ferry.hub.http import HttpReply
from vast_ferry.hub.operations import Effect
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.mapping.helpers import FRAMING, text_charset

#: So many differences of one sample are told; more say nothing new.
MOST = 50


class Verdict(StrEnum):
    """What the check says of one sample."""

    SAME = "same"
    DIFFERS = "differs"
    UNHELD = "unheld"  # the answer differs, and something that the target's shape can't hold explains all of it
    UNCHECKED = "unchecked"  # there was nothing to compare


def compare(expected: Outcome, got: Outcome, method: str = "") -> list[Difference]:
    """Return where `got` differs from `expected`: what was answered (to a `method` request), and what was done."""
    found: list[Difference] = []
    for difference in _compare(expected, got, method):
        found.append(difference)
        if len(found) >= MOST:
            break
    return found


def _compare(expected: Outcome, got: Outcome, method: str) -> Iterator[Difference]:
    yield from _compare_answers(expected, got, method)
    yield from compare_effects(expected.effects, got.effects)


def _compare_answers(expected: Outcome, got: Outcome, method: str) -> Iterator[Difference]:
    if expected.reply is not None and got.reply is not None:
        yield from compare_replies(expected.reply, got.reply, method)
        return
    if expected.ending is not got.ending:
        yield Difference("ending", str(expected), _with_trace(got))
    if expected.again != got.again:
        yield Difference("again", ", ".join(expected.again) or "(none)", ", ".join(got.again) or "(none)")
    if expected.ending is Ending.RETURNED and got.ending is Ending.RETURNED:
        for difference in differences(_exact(expected.value), _exact(got.value)):
            yield Difference(f"value {difference.at}", difference.expected, difference.got)
    # Where one side named the events and the other had to raise, or is a process, there is no error to compare.
    named = {"", "DeliverAgain", "ExitStatus"} & {expected.error, got.error}
    comparable = expected.ending is got.ending and not named
    if comparable and (expected.error, expected.message) != (got.error, got.message):
        yield Difference("error", _error(expected), _error(got))


def _exact(value: Any) -> Any:
    return parse_exact(json.dumps(value))


def compare_effects(expected: Sequence[Effect], got: Sequence[Effect]) -> Iterator[Difference]:
    """Yield where two runs did something different to the outside, effect by effect in order."""
    for number, (one, other) in enumerate(itertools.zip_longest(expected, got), 1):
        at = f"effect {number}"
        if one is None or other is None:
            yield Difference(at, str(one or "(nothing)"), str(other or "(nothing)"))
        elif one.operation != other.operation:
            yield Difference(at, str(one), str(other))
        else:
            yield from _compare_effect(f"{at} {one.operation}", one, other)


def _compare_effect(at: str, one: Effect, other: Effect) -> Iterator[Difference]:
    for name in one.fields.keys() | other.fields.keys():
        left, right = one.fields.get(name), other.fields.get(name)
        if left == right and type(left) is type(right):
            continue
        if isinstance(left, bytes) and isinstance(right, bytes):
            kinds = [_type_of(effect) for effect in (one, other)]
            replies = [
                HttpReply(200, [("content-type", kind)] if kind else [], body)
                for kind, body in zip(kinds, (left, right), strict=True)
            ]
            for difference in _compare_bodies(*replies):
                yield Difference(f"{at} {difference.at}", difference.expected, difference.got)
            continue
        for difference in differences(_exact(left), _exact(right)):
            yield Difference(f"{at} {name}{difference.at[1:]}", difference.expected, difference.got)


def _type_of(effect: Effect) -> str:
    """Return the content type that an effect names, or the one that its content looks like."""
    named = str(effect.fields.get("content_type", "")) or next(
        (value for name, value in effect.fields.get("headers", ()) if name == "content-type"), ""
    )
    if named:
        return named
    return "application/json" if effect.fields["body"][:1] in (b"{", b"[") else "text/plain"


def _error(outcome: Outcome) -> str:
    return f"{outcome.error}: {outcome.message}"


def _with_trace(outcome: Outcome) -> str:
    return f"{outcome} ({outcome.trace})" if outcome.trace else str(outcome)


def compare_replies(expected: HttpReply, got: HttpReply, method: str) -> Iterator[Difference]:
    """Yield where two replies differ; framing is the server's, and a reply without content has no type of it."""
    if expected.status != got.status:
        yield Difference("status", str(expected.status), str(got.status))
    empty = expected.status == got.status and expected.status in (204, 304)
    yield from _compare_headers(expected, got, FRAMING | {"content-type"} if empty else FRAMING)
    if method == "HEAD" or empty or expected.body == got.body:
        return
    yield from _compare_bodies(expected, got)


def _compare_headers(expected: HttpReply, got: HttpReply, leave_out: frozenset[str]) -> Iterator[Difference]:
    names = dict.fromkeys(name.lower() for name, _ in [*expected.headers, *got.headers])
    for name in names:
        if name in leave_out:
            continue
        one, other = expected.values(name), got.values(name)
        if one == other:
            continue
        if len(one) == len(other) and len(one) > 1:
            for index, (left, right) in enumerate(zip(one, other, strict=True)):
                if left != right:
                    yield Difference(f"header {name}[{index}]", left, right)
        else:
            yield Difference(f"header {name}", _values(one), _values(other))


def _values(values: list[str]) -> str:
    if not values:
        return "(missing)"
    return values[0] if len(values) == 1 else " | ".join(values)


def _content_type(reply: HttpReply) -> str:
    return next(iter(reply.values("content-type")), "")


def _decoded(reply: HttpReply) -> str | None:
    charset = text_charset(_content_type(reply))
    if not charset:
        return None
    try:
        return reply.body.decode(charset)
    except (UnicodeError, LookupError):
        return None


def is_json(content_type: str) -> bool:
    """Tell whether a content type is JSON (RFC 8259, RFC 6839 §3.1)."""
    media = content_type.partition(";")[0].strip().lower()
    return media == "application/json" or media.endswith("+json")


def _compare_bodies(expected: HttpReply, got: HttpReply) -> Iterator[Difference]:
    one, other = _decoded(expected), _decoded(got)
    if one is not None and other is not None:
        if is_json(_content_type(expected)) and is_json(_content_type(got)):
            try:
                values = parse_exact(one), parse_exact(other)
            except ValueError:
                pass
            else:
                for difference in differences(*values):
                    yield Difference(f"body {difference.at}", difference.expected, difference.got)
                return
        yield _first_difference(one, other)
        return
    at = next((i for i, (a, b) in enumerate(zip(expected.body, got.body, strict=False)) if a != b), None)
    at = min(len(expected.body), len(got.body)) if at is None else at
    yield Difference(f"body byte {at}", _bytes_at(expected.body, at), _bytes_at(got.body, at))


def _bytes_at(body: bytes, at: int) -> str:
    piece = body[at : at + 16].hex(" ")
    return f"{piece or '(end)'} of {len(body)} bytes"


def _first_difference(one: str, other: str) -> Difference:
    at = next((i for i, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
    line = one.count("\n", 0, at) + 1
    start = max(0, one.rfind("\n", 0, at) + 1, at - 20)
    return Difference(f"body line {line}", repr(one[start : at + 40]), repr(other[start : at + 40]))


def nothing_to_compare(outcome: Outcome) -> str:
    """Return why a source's outcome gives nothing to compare with, or an empty text."""
    if outcome.ending in (Ending.TIMED_OUT, Ending.DIED, Ending.NOT_LOADED):
        where = f" ({outcome.trace})" if outcome.trace else ""
        return (
            f"the original {outcome}{where}"
            if outcome.ending is not Ending.NOT_LOADED
            else (f"the original can't be loaded: {outcome.error}: {outcome.message}{where}")
        )
    return ""
