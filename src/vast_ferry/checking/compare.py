"""Outcomes compared, part by part: how the call ended, what was answered (RFC 9110), and what was done.

The expected side may be given as several runs of the same thing: where they are one, the other side must be that too;
where they differ among themselves, that place *varies*, and there only what they share is compared. Whatever varies is
left out by its place, and nothing else with it.
"""

from __future__ import annotations

import itertools
import json
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, Final

from vast_ferry.checking.exact_json import Difference, Number, Repeated, differences, parse_exact, shown, step
from vast_ferry.checking.varying import Template, TooLarge
from vast_ferry.hub.http import HttpReply
from vast_ferry.hub.operations import Effect
from vast_ferry.hub.outcomes import NOT_DONE, Ending, Outcome
from vast_ferry.mapping.helpers import FRAMING, text_charset

#: So many differences of one sample are told; more say nothing new.
MOST = 50
#: Larger content is compared as bytes: as a tree it would take dozens of times its size.
LARGEST_TREE = 8 * 1024 * 1024


class Verdict(StrEnum):
    """What the check says of one sample."""

    SAME = "same"
    DIFFERS = "differs"
    UNHELD = "unheld"  # the answer differs, and something that the target's shape can't hold explains all of it
    UNCHECKED = "unchecked"  # there was nothing to compare


@dataclass(slots=True)
class Compared:
    """Where an outcome differs from what was expected, and the places that vary by themselves.

    `hopeless` says why nothing can be said: what varies decides what there is to compare, or is too large.
    """

    differences: list[Difference] = field(default_factory=list)
    varies: dict[str, None] = field(default_factory=dict)
    hopeless: str = ""

    def differs(self, at: str, expected: str, got: str) -> None:
        """Keep a difference, unless there are so many already that one more says nothing."""
        if len(self.differences) < MOST:
            self.differences.append(Difference(at, expected, got))


def compare(expected: Outcome | Sequence[Outcome], got: Outcome, method: str = "") -> Compared:
    """Return how `got` compares with `expected`, or with what several runs of it share.

    Compared is what was answered (to a `method` request), and what was done to the outside.
    """
    runs = [expected] if isinstance(expected, Outcome) else list(expected)
    found = Compared()
    try:
        _compare_answers(runs, got, method, found)
        if not found.hopeless:
            compare_effects([run.effects for run in runs], got.effects, found)
            _compare_unseen(runs, got, found)
    except RecursionError:
        found.hopeless = "what the original answers is nested too deep to compare"
    except TooLarge:
        found.hopeless = "what the original answers varies by itself, and is too large to tell what of it does"
    return found


def _compare_answers(runs: list[Outcome], got: Outcome, method: str, found: Compared) -> None:
    if len({run.ending for run in runs}) > 1 or len({run.again for run in runs}) > 1:
        found.varies["ending"] = None
        found.hopeless = "the original's answer varies by itself, down to how it ends"
        return
    one = runs[0]
    if one.reply is not None and got.reply is not None:
        compare_replies([run.reply for run in runs if run.reply is not None], got.reply, method, found)
        return
    if one.ending is not got.ending:
        found.differs("ending", str(one), _with_trace(got))
    if one.again != got.again:
        found.differs("again", ", ".join(one.again) or "(none)", ", ".join(got.again) or "(none)")
    if one.ending is Ending.RETURNED and got.ending is Ending.RETURNED:
        _compare_trees([_exact(run.value) for run in runs], _exact(got.value), "value $", found)
    # Where one side named the events and the other had to raise, or is a process, there is no error to compare.
    if one.ending is got.ending and not (_only_says_again(one) or _only_says_again(got)):
        _compare_errors(runs, got, found)


def _only_says_again(outcome: Outcome) -> bool:
    return outcome.error in ("", "DeliverAgain", "ExitStatus") or outcome.message == NOT_DONE


def _compare_errors(runs: list[Outcome], got: Outcome, found: Compared) -> None:
    one, texts = runs[0], [run.message for run in runs]
    if len({run.error for run in runs}) > 1:
        found.varies["error"] = None
    elif one.error != got.error or (
        set(texts) != {got.message} and _varying_text("error", texts, got.message, found) is not None
    ):
        found.differs("error", _error(one), _error(got))


def _exact(value: Any) -> Any:
    return parse_exact(json.dumps(value))


def _varying_text(at: str, texts: Sequence[str], got: str, found: Compared, *, octets: bool = False) -> int | None:
    """Return where a text differs from what others share; nothing if it does not."""
    if len(set(texts)) == 1:
        return None if got == texts[0] else _first(texts[0], got)
    found.varies[at] = None
    return Template.of(texts, octets=octets).misfit(got)


def _compare_trees(values: list[Any], got: Any, at: str, found: Compared) -> None:
    """Compare a JSON value with what several share; places as in RFC 9535."""
    one = values[0]
    if len(values) == 1 or all(_alike(value, one) for value in values[1:]):
        for difference in itertools.islice(differences(one, got, at), MOST):
            found.differs(difference.at, difference.expected, difference.got)
        return
    kinds = {type(value) for value in values}
    if kinds == {dict} and isinstance(got, dict):
        _compare_mappings(values, got, at, found)
    elif kinds == {list} and isinstance(got, list):
        _compare_lists(values, got, at, found)
    elif type(got) not in kinds or kinds == {Repeated}:
        found.varies[at] = None
        if type(got) not in kinds:
            found.differs(at, shown(one), shown(got))
    elif isinstance(got, Number) or not isinstance(got, str) or kinds != {str}:
        found.varies[at] = None
    else:
        texts = [str(value) for value in values]
        if _varying_text(at, texts, got, found) is not None:
            found.differs(at, shown(one), shown(got))


def _compare_mappings(values: list[Any], got: dict[str, Any], at: str, found: Compared) -> None:
    names = dict.fromkeys(name for value in values for name in value)
    steady = [name for name in names if all(name in value for value in values)]
    for name in steady:
        if name in got:
            _compare_trees([value[name] for value in values], got[name], step(at, name), found)
        else:
            found.differs(step(at, name), shown(values[0][name]), "(missing)")
    free = [name for name in got if name not in steady]
    if len(steady) == len(names):
        for name in free:
            found.differs(step(at, name), "(missing)", shown(got[name]))
        return
    found.varies[at] = None  # its names do
    counts = [len(value) - len(steady) for value in values]
    if not min(counts) <= len(free) <= max(counts):
        found.differs(at, f"{min(counts)} to {max(counts)} names that vary", f"{len(free)} of them")


def _compare_lists(values: list[Any], got: list[Any], at: str, found: Compared) -> None:
    lengths = {len(value) for value in values}
    if len(lengths) == 1 and lengths != {len(got)}:
        found.differs(at, f"{len(values[0])} items", f"{len(got)} items")
        return
    orders = {json.dumps(value) for value in values}
    sets = {tuple(sorted(json.dumps(item) for item in value)) for value in values}
    if len(sets) == 1 and len(orders) > 1:  # only their order varies
        found.varies[at] = None
        if tuple(sorted(json.dumps(item) for item in got)) not in sets:
            found.differs(at, shown(values[0]), shown(got))
        return
    if len(lengths) > 1:
        found.varies[at] = None  # its length does
        if not min(lengths) <= len(got) <= max(lengths):
            found.differs(at, f"{min(lengths)} to {max(lengths)} items", f"{len(got)} items")
    for index, items in enumerate(zip(*values, got, strict=False)):
        _compare_trees(list(items[:-1]), items[-1], f"{at}[{index}]", found)


def _alike(one: Any, other: Any) -> bool:
    return next(differences(one, other), None) is None


def compare_effects(runs: Sequence[Sequence[Effect]], got: Sequence[Effect], found: Compared) -> None:
    """Compare what was done to the outside, effect by effect, in order unless the order varies by itself."""
    named = [[effect.operation for effect in run] for run in runs]
    if any(one != named[0] for one in named[1:]):
        found.varies["effects"] = None
        if any(Counter(one) != Counter(named[0]) for one in named[1:]):
            found.hopeless = "what the original does varies by itself, down to how many effects there are"
            return
    orders = {tuple(map(_sorted_by, run)) for run in runs}
    if len(orders) > 1 and len({tuple(sorted(order)) for order in orders}) == 1:
        found.varies["effects"] = None  # only their order does
        runs, got = [sorted(run, key=_sorted_by) for run in runs], sorted(got, key=_sorted_by)
    for number, others in enumerate(itertools.zip_longest(*runs, got), 1):
        *ones, other = others
        one = ones[0]
        at = f"effect {number}"
        if one is None or other is None or one.operation != other.operation:
            found.differs(at, str(one or "(nothing)"), str(other or "(nothing)"))
        else:
            _compare_effect(f"{at} {one.operation}", ones, other, found)


def _sorted_by(effect: Effect) -> str:
    return f"{effect} {sorted(effect.fields.items(), key=lambda item: item[0])!r}"


def _compare_effect(at: str, ones: Sequence[Effect], other: Effect, found: Compared) -> None:
    for name in dict.fromkeys([*ones[0].fields, *other.fields]):
        lefts, right = [one.fields.get(name) for one in ones], other.fields.get(name)
        if all(isinstance(value, bytes) for value in (*lefts, right)):
            replies = [_as_reply(effect, effect.fields[name]) for effect in (*ones, other)]
            _compare_bodies(replies[:-1], replies[-1], f"{at} ", found)
        elif any(isinstance(value, bytes) for value in (*lefts, right)):
            found.differs(f"{at} {name}", repr(lefts[0]), repr(right))
        else:
            _compare_trees([_exact(left) for left in lefts], _exact(right), f"{at} {name}", found)


def _as_reply(effect: Effect, body: bytes) -> HttpReply:
    kind = _type_of(effect)
    return HttpReply(200, [("content-type", kind)] if kind else [], body)


def _compare_unseen(runs: list[Outcome], got: Outcome, found: Compared) -> None:
    """Compare what was started that nobody can see: what only one side starts is a difference."""
    expected, theirs = {what for run in runs for what, _ in run.unseen}, {what for what, _ in got.unseen}
    steady = {what for what in expected if all(what in dict(run.unseen) for run in runs)}
    if steady - theirs or theirs - expected:
        found.differs("unseen", ", ".join(sorted(expected)) or "(nothing)", ", ".join(sorted(theirs)) or "(nothing)")


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


def compare_replies(runs: Sequence[HttpReply], got: HttpReply, method: str, found: Compared) -> None:
    """Compare replies; framing is the server's, and a reply without content has no type of it."""
    one = runs[0]
    if len({run.status for run in runs}) > 1:
        found.varies["status"] = None
        found.hopeless = "the original's answer varies by itself, down to its status"
        return
    if one.status != got.status:
        found.differs("status", str(one.status), str(got.status))
    empty = one.status == got.status and one.status in (204, 304)
    _compare_headers(runs, got, FRAMING | {"content-type"} if empty else FRAMING, found)
    if method == "HEAD" or empty:
        return
    _compare_bodies(runs, got, "", found)


def _compare_headers(runs: Sequence[HttpReply], got: HttpReply, leave_out: frozenset[str], found: Compared) -> None:
    names = dict.fromkeys(name.lower() for reply in (*runs, got) for name, _ in reply.headers)
    for name in names:
        if name in leave_out:
            continue
        ones, other, at = [_sent(run, name) for run in runs], _sent(got, name), f"header {name}"
        if all(each == ones[0] for each in ones[1:]):
            _compare_values(ones[0], other, at, found)
        else:
            _compare_varying_values(ones, other, at, found)


def _sent(reply: HttpReply, name: str) -> list[str]:
    """Return a field's values as a client gets them: spaces and tabs around them are none of theirs (RFC 9110 §5.5)."""
    return [value.strip(" \t") for value in reply.values(name)]


def _compare_values(one: list[str], other: list[str], at: str, found: Compared) -> None:
    if len(one) != len(other) or len(one) < 2:
        if one != other:
            found.differs(at, _values(one), _values(other))
        return
    for index, (left, right) in enumerate(zip(one, other, strict=True)):
        if left != right:
            found.differs(f"{at}[{index}]", left, right)


def _compare_varying_values(ones: list[list[str]], other: list[str], at: str, found: Compared) -> None:
    """Compare the values of a field that the original's own runs do not agree on."""
    counts = {len(each) for each in ones}
    if counts != {len(other)}:
        found.varies[at] = None
        if len(other) not in counts:
            found.differs(at, _values(ones[0]), _values(other))
        return
    for index, (*lefts, right) in enumerate(zip(*ones, other, strict=True)):
        place = f"{at}[{index}]" if len(other) > 1 else at
        if _varying_text(place, lefts, right, found) is not None:
            found.differs(place, lefts[0], right)


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


def _reads_as_text(body: bytes) -> bool:
    """Tell whether octets are text, whatever their type says: lines of signs in UTF-8."""
    try:
        return all(line.isprintable() for line in body.decode().replace("\t", " ").splitlines())
    except UnicodeDecodeError:
        return False


def is_json(content_type: str) -> bool:
    """Tell whether a content type is JSON (RFC 8259, RFC 6839 §3.1)."""
    media = content_type.partition(";")[0].strip().lower()
    return media == "application/json" or media.endswith("+json")


def _compare_bodies(runs: Sequence[HttpReply], got: HttpReply, prefix: str, found: Compared) -> None:
    bodies = [run.body for run in runs]
    steady = all(body == bodies[0] for body in bodies[1:])
    if steady and bodies[0] == got.body:
        return
    large = max(map(len, [*bodies, got.body])) > LARGEST_TREE
    if large and not steady:
        raise TooLarge
    texts = [None] if large else [_decoded(reply) for reply in (*runs, got)]
    if any(text is None for text in texts):
        at = _first(bodies[0], got.body)
        if not steady:
            varied = [body.decode("latin-1") for body in (*bodies, got.body)]
            octets = not all(_reads_as_text(body) for body in (*bodies, got.body))
            misfit = _varying_text(f"{prefix}body", varied[:-1], varied[-1], found, octets=octets)
            if misfit is None:
                return
            at = misfit
        found.differs(f"{prefix}body byte {at}", _bytes_at(bodies[0], at), _bytes_at(got.body, at))
        return
    *ones, other = [str(text) for text in texts]
    if all(is_json(_content_type(reply)) for reply in (*runs, got)):
        try:
            values = [parse_exact(text) for text in (*ones, other)]
        except ValueError:
            pass
        else:
            _compare_trees(values[:-1], values[-1], f"{prefix}body $", found)
            return
    misfit = _varying_text(f"{prefix}body", ones, other, found)
    if misfit is not None:
        line = other.count("\n", 0, misfit) + 1
        shown_one = _cut(ones[0], misfit) if len(set(ones)) == 1 else repr(Template.of(ones).around(misfit))
        found.differs(f"{prefix}body line {line}", shown_one, _cut(other, misfit))


def _first(one: Any, other: Any) -> int:
    """Return where two texts, or two bytes values, begin to differ."""
    low, high = 0, min(len(one), len(other))
    while low < high:  # halved, so that nothing is looked at byte by byte
        middle = (low + high + 1) // 2
        if one[low:middle] == other[low:middle]:
            low = middle
        else:
            high = middle - 1
    return low


def _cut(text: str, at: int) -> str:
    start = max(0, text.rfind("\n", 0, at) + 1, at - 20)
    return repr(text[start : at + 40])


def _bytes_at(body: bytes, at: int) -> str:
    piece = body[at : at + 16].hex(" ")
    return f"{piece or '(end)'} of {len(body)} bytes"


#: The error of a stand-in that is given a value of a type which its operation does not take.
_OF_A_STAND_IN: Final = "StandInTypeError"


def nothing_to_compare(outcome: Outcome) -> str:
    """Return why a source's outcome gives nothing to compare with, or an empty text."""
    if outcome.ending in (Ending.TIMED_OUT, Ending.DIED, Ending.NOT_LOADED):
        where = f" ({outcome.trace})" if outcome.trace else ""
        return (
            f"the original {outcome}{where}"
            if outcome.ending is not Ending.NOT_LOADED
            else (f"the original can't be loaded: {outcome.error}: {outcome.message}{where}")
        )
    if outcome.error == _OF_A_STAND_IN:
        return (
            f"the original gives a service what it does not take ({outcome.message}): what its provider does then is "
            "not known here"
        )
    return ""
