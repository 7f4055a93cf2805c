"""Events changed by chance, a little at a time: what a field may hold, what the handler's code looks for, what is odd.

A change takes one event (as hub fields, and what services held before it) and gives another that the same trigger may
take. It knows what each field holds and nothing of a provider. Values are those that the code names, values next to
what stands there (nothing, empty, one more, much longer, of another type), and those that hypothesis generated for the
laws. Chance comes from a seed, so the same samples are made every time.
"""

from __future__ import annotations

import contextlib
import copy
import json
import random
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Final
from urllib.parse import parse_qsl, quote, unquote

from vast_ferry.hub.fields import EVENTS, OF_THE_CALL
from vast_ferry.hub.functions import EventTrigger, Function
from vast_ferry.hub.kinds import KINDS, is_request
from vast_ferry.mapping.law_values import VALUES, values_of
from vast_ferry.probing.harvest import Words

#: An event and what was there before it: the parts that a sample is made of.
Fields = dict[str, Any]
_METHODS: Final = ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS")
_ODD_TEXTS: Final = ("", " ", "0", "-1", "null", "a b", "ä\u00fc\u6708", "x" * 300, "%2F", "a+b", "'\"<&>", "true")
_HEADERS: Final = (
    "accept", "accept-language", "authorization", "content-type", "cookie", "if-none-match", "user-agent",
    "x-request-id", "origin", "range",
)  # fmt: skip
_MEDIA: Final = (
    "application/json", "application/json; charset=utf-8", "text/plain", "text/plain; charset=latin-1", "text/csv",
    "application/octet-stream", "application/x-www-form-urlencoded", "image/png", "",
)  # fmt: skip
_ODD_BODIES: Final = (b"", b"{", b"null", b"[]", b"0", b'""', b"\xff\xfe\x00", b"not json", "ü€".encode(), b"a=1&b=2")
#: No text that is made is longer than this.
_LONGEST: Final = 20_000
#: Where an event came from and how it was put is the trigger's, not the sender's.
_KEPT: Final = frozenset(("bucket", "channel", "table", "name", "route", "captures", "id"))


@dataclass(frozen=True, slots=True)
class _Put:
    """One value within another: where it stands, by names, and what the whole is with something else in its place."""

    place: str
    value: Any
    with_value: Callable[[Any], Any]


def _leaves(value: Any, place: str) -> Iterator[_Put]:
    """Yield every value in a JSON value that holds no others; of a name and a value in a pair, the value."""
    if isinstance(value, tuple):
        yield from (
            _Put(put.place, put.value, partial(_paired, value, put)) for put in _leaves(value[1], f"{place}.{value[0]}")
        )
    elif isinstance(value, dict | list):
        for at in list(value) if isinstance(value, dict) else range(len(value)):
            for put in _leaves(value[at], f"{place}.{at}" if isinstance(value, dict) else place):
                yield _Put(put.place, put.value, partial(_with, value, at, put))
    elif value is not None:
        yield _Put(place, value, lambda new: new)


def _paired(pair: tuple[str, Any], put: _Put, new: Any) -> tuple[str, Any]:
    return pair[0], put.with_value(new)


def _with(value: Any, at: Any, put: _Put, new: Any) -> Any:
    made = copy.copy(value)
    made[at] = put.with_value(new)
    return made


def _holders(kind: str, event: Fields) -> Iterator[tuple[str, Any]]:
    """Yield the fields of an event that hold values of its sender's, each as a JSON value."""
    for name, one in EVENTS[kind].items():
        value = event.get(name)
        if name in _KEPT or name in OF_THE_CALL or not one.truth or not value:
            continue
        if name == "query.raw":
            yield name, parse_qsl(value, keep_blank_values=True)
        elif name == "path.raw":
            yield name, [(f"{at}", unquote(piece)) for at, piece in enumerate(value.split("/"))][1:]
        elif one.holds == "bytes":
            with contextlib.suppress(ValueError):
                yield name, json.loads(value)
        elif one.holds == "pairs":
            yield name, [(pair[0], pair[1]) for pair in value]
        elif one.holds in ("record", "value", "texts"):
            yield name, value


def _packed(name: str, value: Any, before: Any) -> Any:
    """Return a field's value of what it was taken apart into."""
    if name == "query.raw":
        return "&".join(f"{quote(str(key), safe='~')}={quote(str(one), safe='~,')}" for key, one in value)
    if name == "path.raw":
        return "/".join(["", *(quote(str(one), safe="~") for _, one in value)])
    if isinstance(before, bytes):
        return json.dumps(value, ensure_ascii=False).encode("utf-8", "replace")
    if isinstance(before, list):
        plain = ((str(key).lower(), _sendable(str(one))) for key, one in value)
        return [(key, one) for key, one in plain if re.fullmatch(r"[!#-'*+.^_`|~\w-]+", key)]
    if isinstance(before, dict) and all(isinstance(one, str) for one in before.values()):
        return {key: one if isinstance(one, str) else json.dumps(one) for key, one in value.items()}
    return value


def _sendable(value: str) -> str:
    """Return a header's value as it can be sent (RFC 9110 §5.5)."""
    return re.sub(r"[^\x21-\x7e ]", "?", value).strip()


class Changer:
    """Changes events of one function."""

    def __init__(self, function: Function, words: Words, seed: int) -> None:
        self.function, self.words = function, words
        self.chance = random.Random(seed)  # noqa: S311  (it makes samples, not secrets)
        self._names = sorted(words.names) or ["name"]
        self._texts = sorted(words.texts)
        self._numbers = sorted(words.numbers)
        # Code looks for a cookie by its name, or for the text that its pair begins with.
        begun = [one for one in self._texts if re.fullmatch(r"[\w.-]+=", one)]
        self._cookies = [*(f"{one}1" for one in begun), *(f"{name}=1" for name in self._names)]
        self._own: dict[str, Callable[[Fields], Any]] = {
            "method": self._method,
            "path.raw": self._path,
            "query.raw": self._query,
            "headers": self._headers,
            "body": self._body,
            "data": lambda event: self.json(event["data"]),
            "change": self._change,
            "key": self._key,
        }

    def changed(
        self, kind: str, events: Sequence[Fields], before: Mapping[str, Any]
    ) -> tuple[list[Fields], dict[str, Any]]:
        """Return events of a kind, and what was there before, changed in one to three ways."""
        made, held = copy.deepcopy(list(events)), copy.deepcopy(dict(before))
        for _ in range(self.chance.choice((1, 1, 1, 2, 2, 3))):
            if held and self.chance.random() < 0.25:
                self._change_before(held)
            elif not KINDS[kind].alone and self.chance.random() < 0.15:
                made = self._change_batch(made)
            elif made:
                self._change_event(kind, self.chance.choice(made))
        for number, one in enumerate(made):
            if any(one["id"] == other["id"] for other in made[:number]):
                one["id"] = f"{one['id']}-{number}"
        return made, held

    def swept(
        self, kind: str, events: Sequence[Fields], before: Mapping[str, Any], done: set[str]
    ) -> Iterator[tuple[list[Fields], dict[str, Any]]]:
        """Yield an event with one value of it replaced by each that the code names, and by odd ones, in turn.

        `done` are the places that were gone through already, in this event or another; it is added to.
        """
        if is_request(kind):
            yield from self._asked_for(events[0], before, done)
            yield from self._told_twice(events[0], before, done)
        for number, event in enumerate(events):
            for name, inside in _holders(kind, event):
                for put in self._left(inside, f"{kind}.{name}", done):
                    for value in self._candidates(put.value):
                        made = copy.deepcopy(list(events))
                        made[number][name] = _packed(name, put.with_value(value), event[name])
                        yield made, dict(before)
        yield from self._held_before(events, before, done)

    def _held_before(
        self, events: Sequence[Fields], before: Mapping[str, Any], done: set[str]
    ) -> Iterator[tuple[list[Fields], dict[str, Any]]]:
        """Yield the same for what services held before."""
        places = ((name, at, one) for name, listed in before.items() for at, one in enumerate(listed))
        for name, at, one in places:
            for key in ("record", "answer"):
                for put in self._left(one.get(key), f"before.{name}.{key}", done):
                    for value in self._candidates(put.value):
                        held = {**before, name: [dict(each) for each in before[name]]}
                        held[name][at][key] = put.with_value(value)
                        yield copy.deepcopy(list(events)), held

    def _asked_for(
        self, event: Fields, before: Mapping[str, Any], done: set[str]
    ) -> Iterator[tuple[list[Fields], dict[str, Any]]]:
        """Yield a request with one parameter more: each name that the code has, with each of its texts."""
        pairs = parse_qsl(event["query.raw"], keep_blank_values=True)
        for name in self._names:
            place = f"+{name}"
            if place not in done and all(name != one for one, _ in pairs):
                done.add(place)
                for value in self._texts:
                    query = _packed("query.raw", [*pairs, (name, value)], "")
                    yield [{**copy.deepcopy(event), "query.raw": query}], dict(before)

    def _told_twice(
        self, event: Fields, before: Mapping[str, Any], done: set[str]
    ) -> Iterator[tuple[list[Fields], dict[str, Any]]]:
        """Yield a request with one of its headers once more, with each value the code may look for (RFC 9110 §5.3)."""
        for name in dict.fromkeys(one for one, _ in event["headers"]):
            if (place := f"twice.{name}") not in done:
                done.add(place)
                for value in self._cookies if name == "cookie" else self._texts:
                    more = (name, _sendable(value))
                    yield [{**copy.deepcopy(event), "headers": [*event["headers"], more]}], dict(before)

    def _left(self, value: Any, place: str, done: set[str]) -> Iterator[_Put]:
        """Yield the values in one that stand at places which were not gone through yet."""
        for put in _leaves(value, place):
            if put.place not in done:
                done.add(put.place)
                yield put

    def _candidates(self, near: Any) -> list[Any]:
        """Return what may stand in the place of a value."""
        texts: list[Any] = [*self._texts, *_ODD_TEXTS, *(f"{text}x; y=1" for text in self._texts if text.endswith("/"))]
        numbers: list[Any] = [number + step for number in self._numbers for step in (-1, 0, 1)]
        if isinstance(near, bool):
            return [not near, None]
        if isinstance(near, str):
            long = [
                "x" * (abs(int(number)) + step) for number in self._numbers for step in (0, 1) if abs(number) <= 20_000
            ]
            return [*texts, *long, *map(str, numbers)]
        return [*numbers, 0, -1, 2**53 + 1, 0.1, *texts[:5], None]

    # --- values ---

    def text(self, near: str = "") -> str:
        """Return a text: one of the code's, one next to what stands there, or an odd one."""
        ways: list[Callable[[], str]] = [lambda: self.chance.choice(_ODD_TEXTS)]
        if self._texts:
            own = self.chance.choice(self._texts)
            ways += [lambda: own, lambda: own, lambda: f"{own}x", lambda: own.strip() + self.chance.choice(self._texts)]
        if self._numbers:
            number = self.chance.choice(self._numbers)
            ways += [lambda: str(number), lambda: "x" * min(abs(int(number)) + self.chance.choice((0, 1)), _LONGEST)]
        if near:
            ways += [lambda: near[:-1], lambda: near + near, near.upper, lambda: f"{near}~"]
        return self.chance.choice(ways)()

    def number(self, near: float | None = None) -> int | float:
        """Return a number: one of the code's, one next to it, or an odd one."""
        at = [*self._numbers, *([near] if near is not None else [])]
        if at and self.chance.random() < 0.75:
            return self.chance.choice(at) + self.chance.choice((-1, 0, 1))
        return self.chance.choice((0, 1, -1, 2**53 + 1, 1.5, 10**6, 0.1))

    def value(self, near: Any = None) -> Any:
        """Return a JSON value like one, or of another type."""
        if isinstance(near, bool):
            return not near if self.chance.random() < 0.7 else None
        if isinstance(near, int | float) and self.chance.random() < 0.7:
            return self.number(near)
        if isinstance(near, str) and self.chance.random() < 0.7:
            return self.text(near)
        ways: tuple[Callable[[], Any], ...] = (
            lambda: None, lambda: True, lambda: False, self.number, self.text, list, dict, lambda: [self.text()],
            lambda: {self.chance.choice(self._names): self.text()},
        )  # fmt: skip
        return self.chance.choice(ways)()

    def json(self, value: Any) -> Any:
        """Return a JSON value with one part of it changed."""
        if isinstance(value, dict):
            return self._object(value)
        if isinstance(value, list) and value and self.chance.random() < 0.8:
            at = self.chance.randrange(len(value))
            way = self.chance.random()
            if way < 0.2:
                return value[:at] + value[at + 1 :]
            if way < 0.4:
                return [*value, copy.deepcopy(value[at])]
            return [*value[:at], self.json(value[at]), *value[at + 1 :]]
        return self.value(value)

    def _object(self, value: dict[str, Any]) -> dict[str, Any]:
        made = dict(value)
        way = self.chance.random()
        if way < 0.25 and made:
            del made[self.chance.choice(list(made))]
        elif way < 0.55 or not made:
            made[self.chance.choice(self._names)] = self.value()
        else:
            key = self.chance.choice(list(made))
            made[key] = self.json(made[key])
        return made

    # --- events ---

    def _change_event(self, kind: str, event: Fields) -> None:
        fields = [
            name
            for name, one in EVENTS[kind].items()
            if one.truth and name not in OF_THE_CALL and name not in _KEPT and name in event
        ]
        if is_request(kind):
            weights = {"body": 6, "query.raw": 4, "headers": 4, "path.raw": 3, "method": 1}
            fields = [name for name in fields for _ in range(weights.get(name, 0)) if name != "body" or event["body"]]
            fields = fields or ["query.raw"]
        else:
            fields += [name for name in fields if name in ("body", "data", "key")] * 3
        name = self.chance.choice(fields)
        change = self._own.get(name)
        event[name] = change(event) if change is not None else self._plain(kind, name, event[name])

    def _plain(self, kind: str, name: str, value: Any) -> Any:
        """Return another value of a field by what it holds."""
        holds = EVENTS[kind][name].holds
        if holds == "text":
            known = VALUES.get(f"{kind}.{name}", VALUES.get(name))
            if known is not None and self.chance.random() < 0.5:
                # Nobody sends an event that has no time.
                return self.chance.choice(values_of(known)) or value
            return self.text(value) if name not in ("time", "due", "change") else value
        if holds in ("record", "value"):
            return self.json(value) if holds == "value" or isinstance(value, dict) else value
        if holds == "texts":
            made = self._object(dict(value))
            return {name: one if isinstance(one, str) else json.dumps(one) for name, one in made.items()}
        if holds in ("integer", "integer or nothing"):
            return max(1 if name == "attempt" else 0, int(self.number(value)))
        return value

    def _change_batch(self, events: list[Fields]) -> list[Fields]:
        """Return a batch with one event more, or one less, or in another order."""
        way = self.chance.random()
        if way < 0.5 or len(events) < 2:
            return [*events, copy.deepcopy(self.chance.choice(events))]
        if way < 0.8:
            at = self.chance.randrange(len(events))
            return events[:at] + events[at + 1 :]
        return events[::-1]

    # --- fields of their own ---

    def _method(self, event: Fields) -> str:
        own = [method for one in self.function.routes for method in one.methods]
        del event
        methods: list[str] = [*(own or _METHODS), *own, *_METHODS]
        return self.chance.choice(methods)

    def _path(self, event: Fields) -> str:
        """Return a path with another value in one of its segments; the route still fits where that was captured."""
        pieces: list[str] = event["path.raw"].split("/")
        if len(pieces) < 2:
            return "/"
        at = self.chance.randrange(1, len(pieces))
        pieces[at] = quote(self.text(unquote(pieces[at]))[:200], safe="~")
        return "/".join(pieces)

    def _query(self, event: Fields) -> str:
        pairs = parse_qsl(event["query.raw"], keep_blank_values=True)
        way = self.chance.random()
        if way < 0.25 and pairs:
            pairs.pop(self.chance.randrange(len(pairs)))
        elif way < 0.6 or not pairs:
            pairs.append((self.chance.choice(self._names), self.text()))
        else:
            at = self.chance.randrange(len(pairs))
            name, value = pairs[at]
            pairs[at] = (name, self.text(value))
            if self.chance.random() < 0.3:
                pairs.insert(at, (name, value))
        return "&".join(f"{quote(name, safe='~')}={quote(value, safe='~,')}" for name, value in pairs)

    def _headers(self, event: Fields) -> list[tuple[str, str]]:
        pairs = [(name, value) for name, value in event["headers"]]
        way = self.chance.random()
        if way < 0.3 and pairs:
            pairs.pop(self.chance.randrange(len(pairs)))
            return pairs
        name = self.chance.choice([*_HEADERS, *(one.lower() for one in self._names if re.fullmatch(r"[\w-]+", one))])
        if way >= 0.6 and pairs:
            name = self.chance.choice(pairs)[0]
        if way < 0.85:  # else it comes twice
            pairs = [pair for pair in pairs if pair[0] != name]
        value = self.chance.choice(_MEDIA) if name == "content-type" and self.chance.random() < 0.5 else self.text()
        if name == "cookie":
            value = f"{self.chance.choice(self._cookies).partition('=')[0]}={quote(self.text())}"
        return [*pairs, (name, _sendable(value))]

    def _body(self, event: Fields) -> bytes:
        content: bytes = event["body"]
        if self.chance.random() < 0.15:
            return self.chance.choice(_ODD_BODIES)
        try:
            value = json.loads(content)
        except ValueError:
            return self._other_bytes(content)
        return json.dumps(self.json(value), ensure_ascii=False).encode("utf-8", "replace")

    def _other_bytes(self, content: bytes) -> bytes:
        """Return other content, line by line where it has lines: sheets are read so."""
        try:
            lines = content.decode("utf-8").split("\n")
        except UnicodeDecodeError:
            return content[: self.chance.randrange(len(content) + 1)]
        at = self.chance.randrange(len(lines))
        way = self.chance.random()
        if way < 0.25:
            lines.pop(at)
        elif way < 0.5:
            lines.insert(at, lines[at])
        else:
            words = re.split(r"([,;=&\t])", lines[at])
            where = self.chance.randrange(0, len(words), 2)
            words[where] = self.text(words[where]) if self.chance.random() < 0.5 else str(self.number())
            lines[at] = "".join(words)
        return "\n".join(lines).encode("utf-8", "replace")

    def _change(self, event: Fields) -> str:
        """Return a change that a trigger takes."""
        own = [change for one in self.function.triggers if isinstance(one, EventTrigger) for change in one.changes]
        known: list[str] = sorted({event["change"], *own})
        return self.chance.choice(known)

    def _key(self, event: Fields) -> str:
        """Return another key, most often one that begins and ends the same, for its trigger asks for that."""
        key: str = event["key"]
        head, slash, name = key.rpartition("/")
        stem, dot, suffix = name.rpartition(".") if "." in name else (name, "", "")
        return f"{head}{slash}{self.text(stem)}{dot}{suffix}" if self.chance.random() < 0.8 else self.text(key)

    # --- what was there before ---

    def _change_before(self, held: dict[str, Any]) -> None:
        names = [name for name, listed in held.items() if listed]
        if not names:
            return
        listed = list(held[self.chance.choice(names)])
        name = next(one for one in names if held[one] == listed)
        at = self.chance.randrange(len(listed))
        if self.chance.random() < 0.25:
            listed.pop(at)
        else:
            one = listed[at] = dict(listed[at])
            if "record" in one:
                one["record"] = self.json(one["record"])
            elif "body" in one:
                one["body"] = self._body(one)
            elif "answer" in one:
                one["answer"] = self.json(one["answer"])
        held[name] = listed
