"""The beginning of a profile, from recorded events: what can be told by its form is guessed, and every guess says so.

Events are put together by the keys that they have. What each key holds is looked at in all events of one kind: a form
is guessed where every value has it. What has no form that says what it is becomes a comment, to be written by a person.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from vast_ferry.documents.document import read_file
from vast_ferry.events.native import parse_json
from vast_ferry.evidence.beginning_definition import BegunDefinition, begin_definition
from vast_ferry.evidence.telling import (
    METHODS,
    TEXTS,
    WORDS,
    are_octets,
    are_segments,
    form_of_body,
    form_of_fields,
    form_of_query,
    form_of_route,
    is_base64,
    is_base64url,
    json_inside,
    unit_told,
    words_of_change,
)
from vast_ferry.hub.fields import EVENTS
from vast_ferry.hub.findings import BadInput, Place

#: Words that tell a kind.
_KINDS: Final[dict[str, tuple[str, ...]]] = {
    "object": ("bucket", "object", "etag", "file"),
    "message": ("queue", "topic", "message", "messages", "attempt"),
    "record": ("table", "row", "rows", "record", "old", "new", "before", "after"),
    "schedule": ("schedule", "scheduled", "cron", "timer", "due"),
    "signal": ("signal", "subject", "detail"),
}


@dataclass(slots=True)
class _Group:
    """Recorded events of one kind: by the keys that they have."""

    kind: str
    files: list[str] = field(default_factory=list)
    events: list[Any] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Beginning:
    """The text of a profile's beginning, and how many places were guessed and left."""

    text: str
    guessed: int
    left: int


def begin_profile(name: str, events: str | Path | None = None, definition: str | Path | None = None) -> Beginning:
    """Return the beginning of a profile of a provider, from what there is of it.

    That is a folder of recorded events (`.json` files), a file that declares a project's functions, or both. Raises
    BadInput for a name that can't be one, where there is neither, for a folder without events, an event that is not
    JSON, and a definition that can't be read or declares no functions.
    """
    if not re.fullmatch(r"[a-z][a-z0-9_-]*", name):
        raise BadInput(f"a provider can't be called {name!r}", "Use small letters, digits, - and _")
    if events is None and definition is None:
        raise BadInput("there is nothing to begin from", "Give recorded events, a definition file, or both")
    told = begin_definition(definition) if definition is not None else BegunDefinition()
    if events is None:
        return _written(name, None, [], told)
    folder = Path(events)
    files = sorted(folder.glob("*.json")) if folder.is_dir() else []
    if not files:
        raise BadInput("there are no events", "Give a folder with one event in each .json file", Place(str(folder)))
    groups: list[_Group] = []
    for path in files:
        data = parse_json(read_file(path, str(path), "the event"), str(path))
        kind = _kind_of(path.stem, data)
        keys = set(data) if isinstance(data, dict) else set()
        near = [g for g in groups if g.kind == kind and isinstance(g.events[0], dict) and keys & set(g.events[0])]
        group = near[0] if near else _Group(kind)
        if not near:
            groups.append(group)
        group.files.append(path.name)
        group.events.append(data)
    return _written(name, folder, groups, told)


def _words(data: Any) -> Iterator[str]:
    """Yield the words in the keys of an event."""
    if isinstance(data, dict):
        for key, value in data.items():
            yield from _split(str(key))
            yield from _words(value)
    elif isinstance(data, list):
        for value in data[:3]:
            yield from _words(value)


def _split(key: str) -> list[str]:
    return [word.lower() for word in re.findall(r"[A-Z]?[a-z0-9]+|[A-Z]+", key)]


def _kind_of(stem: str, data: Any) -> str:
    first = re.split(r"[^a-z]", stem.lower(), maxsplit=1)[0]
    if first in EVENTS:
        return first
    text = json.dumps(data, ensure_ascii=False)
    if re.search(rf'"({METHODS})[ "]', text):
        return "http"
    words = set(_words(data))
    best = max(_KINDS, key=lambda kind: len(words & set(_KINDS[kind])))
    return best if words & set(_KINDS[best]) else "call"


def _written(name: str, folder: Path | None, groups: list[_Group], told: BegunDefinition) -> Beginning:
    source = f"the events in {_plain(folder.name)}/" if folder is not None else "a definition file"
    lines = [
        f"# The beginning of a profile, guessed from {source}. Each row that says `guess`",
        "# is one: look at it with `vast-ferry profile try`, mend it, and take the word out. See docs/profiles.md.",
        f"provider: {name}",
        "edition: 1",
        f"title: {name.replace('-', ' ').replace('_', ' ').title()}",
        "about: what its events and handlers look like, in a line",
        "",
        "handler:",
        "  parameters: [event]  # as its handlers are written",
        "  event: [event]",
    ]
    guessed = left = 0
    seen: dict[str, int] = {}
    for group in groups:
        seen[group.kind] = seen.get(group.kind, 0) + 1
        if seen[group.kind] > 1:
            lines += [
                "",
                f"# {_plain(', '.join(group.files))} look like {group.kind} events of another shape: see `others`.",
            ]
            continue
        made = _Shape(group, groups)
        lines += ["", f"# from {_plain(', '.join(group.files))}", f"{group.kind}:", "  event:", *made.lines]
        guessed, left = guessed + made.guessed, left + made.left
    lines += ["", told.routes] if told.routes else []
    lines += told.lines
    return Beginning("\n".join(lines) + "\n", guessed + told.guessed, left + told.left)


class _Shape:
    """What is guessed of one kind's events."""

    def __init__(self, group: _Group, groups: list[_Group]) -> None:
        self.kind, self.lines = group.kind, list[str]()
        self.guessed = self.left = 0
        self.taken: set[str] = set()
        self.rows: list[str] = []
        self.lets: list[str] = []
        events = group.events
        if any(map(_has_identity, events)):
            self.taken.add(_NAMED)
        at, root, keyed = _batch_of(events) if group.kind != "http" else ("", "", False)
        beside = "" if at or group.kind == "http" else _side_by_side(events)
        if at:
            if keyed:
                way = f"[{{of: {_quoted(f'event{at}')}, key: called, each: listed}}, {{of: listed, each: entry}}]"
                self.rows.append("      # - {at: called, is: }  # the key under which a list of events stands")
                self.left += 1
            else:
                way = f"[{{of: {_quoted(f'event{at}')}, each: entry}}]"
            self.lines.append(f"    each: {way}  # guess: {'lists by key' if keyed else 'a list'} in every event")
            around = [event for event in events if isinstance(event, dict)]
            self._mapping("event", around, leave=at)
            held = [event.get(root) or [] for event in around]
            under = [one for value in held for one in (value.values() if isinstance(value, dict) else [value])]
            self._mapping("entry", [entry for one in under for entry in one])
        elif beside:
            lists: list[dict[str, list[Any]]] = [event[beside] for event in events]
            names = list(lists[0])
            way = _quoted(f"event{_step(beside)} | side_by_side({', '.join(names)})")
            self.lines.append(f"    each: [{{of: {way}, each: entry}}]  # guess: lists that are equally long")
            self._constants(group, groups)
            self._mapping("event", events, leave=_step(beside))
            rows = (row for one in lists for row in zip(*(one[name] for name in names), strict=True))
            self._mapping("entry", [dict(zip(names, row, strict=True)) for row in rows])
        else:
            self._constants(group, groups)
            self._mapping("event", events)
        if self.lets:
            self.lines += ["    let:", *self.lets]
        if "cookies" in self.taken:  # which would come again with all header fields
            apart = {" is: headers,": " is: headers.plain,", " is: headers.all,": " is: headers.plain,"}
            for whole, rest in apart.items():
                self.rows = [row.replace(whole, rest) for row in self.rows]
            if not any(" is: headers.plain," in row for row in self.rows):  # by themselves they make no header fields
                self.rows = [row.replace("- {", "# - {") if " is: cookies," in row else row for row in self.rows]
        self.lines += ["    rows:", *self.rows]
        if not self.guessed:
            self.lines += ["      []"]

    def _constants(self, group: _Group, groups: list[_Group]) -> None:
        """What is the same in all events of a kind, and in none of another, tells the kind."""
        first = group.events[0]
        others = [event for other in groups if other is not group for event in other.events]
        for key, value in first.items() if isinstance(first, dict) else ():
            same = all(isinstance(event, dict) and event.get(key) == value for event in group.events)
            apart = all(not isinstance(event, dict) or event.get(key) != value for event in others)
            if _is_identity(key):
                continue  # of which there is only one event yet
            if isinstance(value, str) and same and apart and others and any(key in event for event in others):
                at = f"event{_step(key)}"
                row = f"      - {{at: {_quoted(at)}, holds: {json.dumps(value)}}}  # guess"
                self.lines += ["    constants:", row]
                self.taken.add(at)
                self.guessed += 1
                return

    def _mapping(self, place: str, events: Iterable[Any], leave: str = "", *, optional: bool = False) -> None:
        held: dict[str, list[Any]] = {}
        events = list(events)
        for event in events:
            for key, value in event.items() if isinstance(event, dict) else ():
                held.setdefault(str(key), []).append(value)
        self._host_and_port(place, held)
        self._two_numbers(place, held)
        for key, values in held.items():
            at = f"{place}{_step(key)}"
            if _step(key) == leave or at in self.taken:
                continue
            self._place(at, key, values, optional=optional or len(values) < len(events))

    def _place(self, at: str, key: str, values: list[Any], *, optional: bool) -> None:
        there = [value for value in values if value is not None]
        said = self._guess(key, there)
        optional = optional or len(there) < len(values)
        if said is not None:
            feeds, more = said
            more += ", optional: true" if optional else ""
            self.taken |= {feeds, *re.findall(r"\{([a-z_.]+)", feeds)}
            self.rows.append(f"      - {{at: {_quoted(at)}, is: {feeds}{more}}}  # guess: {_shown(there)}")
            self.guessed += 1
        elif there and all(isinstance(value, dict) and value for value in there) and key.lower() not in _WHOLE:
            self._mapping(at, there, optional=optional)
        elif (inside := json_inside(there))[0] == "json_text" and self._has("data") and "data" not in self.taken:
            self.taken.add("data")
            self.rows.append(f"      - {{at: {_quoted(at)}, is: data, as: json_text}}  # guess: {_shown(there)}")
            self.guessed += 1
        elif inside[0]:
            name = f"inside_{len(self.lets) + 1}"
            self.lets.append(f"      {name}: {_quoted(f'{at} | {inside[0]}')}  # guess")
            self._mapping(name, inside[1], optional=optional)
        else:
            self.rows.append(f"      # - {{at: {_quoted(at)}, is: }}  # {_shown(there)}")
            self.left += 1

    def _guess(self, key: str, values: list[Any]) -> tuple[str, str] | None:
        if not values:
            return None
        for guess in (self._by_form, self._by_shape, self._by_words_of_change, self._by_word, self._by_difference):
            said = guess(key, values)
            if said is not None and said[0] not in self.taken and self._has(said[0]):
                return said
        return None

    def _has(self, feeds: str) -> bool:
        names = re.findall(r"\{([a-z_.]+)", feeds) or [feeds]
        return all(name in EVENTS[self.kind] for name in names)

    def _by_form(self, key: str, values: list[Any]) -> tuple[str, str] | None:
        name = "due" if self.kind == "schedule" and set(_split(key)) & {"due", "scheduled", "planned"} else "time"
        route = form_of_route(values) if self.kind == "http" else ""
        if route:
            return "route", f', as: "{route}"'
        if all(isinstance(value, str) for value in values):
            for feeds, form, more, kinds in TEXTS:
                if (not kinds or self.kind in kinds) and all(re.fullmatch(form, value) for value in values):
                    return (name if feeds == "time" else feeds), more
            unit = unit_told([value for value in values if value.isdecimal()], len(values))
            return (name, f", as: 'since_1970({unit}, text)'") if unit else None
        numbers = [value for value in values if isinstance(value, int | float) and not isinstance(value, bool)]
        unit = unit_told(numbers, len(values))
        if unit:
            whole = all(isinstance(value, int) for value in values)
            return name, f", as: 'since_1970({unit}{'' if whole else ', float'})'"
        if all(isinstance(value, bool) for value in values) and set(_split(key)) & {"tls", "https", "secure", "ssl"}:
            return "scheme", ", words: {true: https, false: http}"
        return None

    def _by_shape(self, key: str, values: list[Any]) -> tuple[str, str] | None:
        if self.kind != "http":
            return None
        words = set(_split(key))
        if words & {"path", "segments"} and all(are_segments(value) for value in values):
            decoded = any("/" in one or " " in one for value in values for one in value)
            return "path.raw", ", as: segments(decoded)" if decoded else ", as: segments"
        if words & {"cookies", "crumbs"} and all(form_of_query(value) in ("by_name", "any") for value in values):
            return "cookies", ", as: \"by_name | as_words('=')\""
        if words & {"query", "search", "args", "arguments"}:
            forms = {form_of_query(value) for value in values} - {"any"}
            wide = (
                forms.pop()
                if len(forms) == 1
                else "one_or_list"
                if forms <= {"one_or_list", "by_name", "lists"}
                else ""
            )
            if wide and forms != {""}:
                return "query", f", as: {wide}"
        if words & {"params", "captures", "parameters"} and all(map(_are_named, values)):
            name, text = next((list(value[0]) for value in values if value), ["name", "value"])
            return "captures", f", as: 'records({name}, {text}) | texts'"
        lens = next((lens for lens in map(form_of_fields, values) if lens), "")
        if lens and all(form_of_fields(value) in (lens, "any") for value in values):
            framed = any(re.search(r'"(host|content-length)"', json.dumps(value), re.IGNORECASE) for value in values)
            return "headers.all" if framed else "headers", f", as: {lens}"
        return None

    def _by_words_of_change(self, key: str, values: list[Any]) -> tuple[str, str] | None:
        """Tell what happened by the provider's words for it, and labels that stand as two lists."""
        words = set(_split(key))
        change = words_of_change(self.kind, values) if words & _TELLING else {}
        if change:
            told = ", ".join(f"{json.dumps(word)}: {one}" for word, one in change.items())
            return "change", f", words: {{{told}}}"
        labels = "labels" if self.kind == "object" else "attributes"
        if words & {"meta", "metadata", "labels", "tags", "attributes", "properties"} and all(map(_are_two, values)):
            return labels, f", as: 'two_lists({', '.join(values[0])}) | texts'"
        return None

    def _host_and_port(self, place: str, held: dict[str, list[Any]]) -> None:
        """Tell a host and a port that stand beside each other."""
        hosts, ports = held.get("host", []), held.get("port", [])
        told = all(isinstance(one, str) for one in hosts) and all(one is None or type(one) is int for one in ports)
        if self.kind == "http" and hosts and ports and told and "authority" not in self.taken:
            both = f"[{_quoted(place + _step('host'))}, {_quoted(place + _step('port'))}]"
            row = f"      - {{at: {both}, is: authority, as: \"'{{}}[:{{ | whole}}]'\"}}  # guess: {_shown(hosts)}"
            self.rows.append(row)
            self.taken |= {"authority", place + _step("host"), place + _step("port")}
            self.guessed += 1

    def _two_numbers(self, place: str, held: dict[str, list[Any]]) -> None:
        """Tell a time as whole seconds, and beside them the parts of a second that are left."""
        for seconds, parts, digits in _SECONDS_AND_PARTS:
            whole, rest = held.get(seconds, []), held.get(parts, [])
            told = unit_told([one for one in whole if type(one) is int], max(1, len(whole))) == "s"
            if (
                told
                and rest
                and all(type(one) is int and 0 <= one < 10**digits for one in rest)
                and "time" not in self.taken
            ):
                both = f"[{_quoted(place + _step(seconds))}, {_quoted(place + _step(parts))}]"
                form = f"\"'{{ | whole}}[.{{ | fraction({digits})}}]' | since_1970(s, split)\""
                self.rows.append(f"      - {{at: {both}, is: time, as: {form}}}  # guess: {_shown(whole)}")
                self.taken |= {"time", place + _step(seconds), place + _step(parts)}
                self.guessed += 1

    def _by_difference(self, key: str, values: list[Any]) -> tuple[str, str] | None:
        """Tell an identity, that differs from event to event, and content in Base64."""
        short = all(
            isinstance(value, str) and 0 < len(value) < 80 and (len(value) > 7 or re.search("[0-9]", value))
            for value in values
        )
        differ = len(values) > 1 and len(set(map(str, values))) == len(values)
        if short and differ and not {"id", _NAMED} & self.taken:
            return "id", ""
        if "body" not in EVENTS[self.kind] or not any(values) or json_inside(values)[0]:
            return None
        for form, has in (("base64", is_base64), ("base64url", is_base64url), ("octets", are_octets)):
            there = [value for value in values if value not in ("", [])]
            if any(isinstance(value, str) and re.fullmatch(r"[a-z]+/[a-z0-9.+-]+", value) for value in there):
                continue  # a type of content has the letters of Base64
            if all(map(has, there)) and (form != "base64" or any(is_base64(value, sure=True) for value in there)):
                return "body", f", as: {form}"
        return None

    def _by_word(self, key: str, values: list[Any]) -> tuple[str, str] | None:
        words = _split(key)
        for feeds, known in WORDS.items():
            if feeds not in EVENTS[self.kind] or not set(words[-1:]) & set(known):
                continue
            holds = EVENTS[self.kind][feeds].holds
            if feeds in ("id", "principal.id") and all(type(value) is int for value in values):
                return feeds, ", as: whole"
            if holds == "bytes":
                form = form_of_body(values)
                return (feeds, f", as: {form}") if form else None
            if holds.startswith("integer"):
                if all(isinstance(value, str) and value.isdecimal() for value in values):
                    return feeds, ", as: digits"
                from_0 = ", as: counted_from(0)" if feeds == "attempt" and 0 in values else ""
                return (feeds, from_0) if all(isinstance(value, int) for value in values) else None
            if feeds == "key" and any("://" in str(value) for value in values):
                return None  # an address, of which the key is a part
            kind = {"text": str, "texts": dict, "record": dict}.get(holds)
            if kind is None or all(isinstance(value, kind) for value in values):
                return feeds, ""
        return None


#: Taken where a key says by its name that it is the identity: then nothing is, that only differs.
_NAMED: Final = "an identity by its name"
#: Keys of whole seconds, and of the parts of a second beside them, and how many digits these have.
_SECONDS_AND_PARTS: Final = tuple(
    (seconds, parts, digits)
    for seconds in ("seconds", "sec", "secs", "s", "epochSeconds", "epoch_seconds")
    for parts, digits in (
        ("nanos", 9),
        ("nano", 9),
        ("nanoseconds", 9),
        ("ns", 9),
        ("micros", 6),
        ("us", 6),
        ("ms", 3),
        ("millis", 3),
    )
)


def _is_identity(key: str) -> bool:
    return set(_split(key)[-1:]) <= {"id", "uid", "uuid", "identity"} and bool(_split(key))


def _has_identity(event: Any) -> bool:
    """Tell whether an event, or an entry of a list in it, has a text under a key that says it is the identity."""
    if isinstance(event, list):
        return any(map(_has_identity, event))
    if not isinstance(event, dict):
        return False
    return any(_is_identity(key) and isinstance(value, str) for key, value in event.items()) or any(
        map(_has_identity, (value for value in event.values() if isinstance(value, list)))
    )


#: Words in keys that say what happened.
_TELLING: Final = frozenset(
    {"op", "operation", "act", "action", "change", "did", "verb", "event", "kind", "type", "what"}
)


def _are_two(value: Any) -> bool:
    """Tell whether a value is two lists of texts, equally long."""
    lists = list(value.values()) if isinstance(value, dict) else []
    good = len(lists) == 2 and all(isinstance(one, list) and all(isinstance(x, str) for x in one) for one in lists)
    return good and len(lists[0]) == len(lists[1]) and all(str(name).isidentifier() for name in value)


def _side_by_side(events: list[Any]) -> str:
    """Return the key of several lists, equally long in each event, of which one entry each makes an event."""
    first = events[0] if events and all(isinstance(event, dict) for event in events) else {}
    for key, value in first.items():
        held = [event.get(key) for event in events]
        if not (isinstance(value, dict) and len(value) > 2 and all(str(name).isidentifier() for name in value)):
            continue
        if all(isinstance(one, dict) and set(one) == set(value) for one in held) and all(map(_are_as_long, held)):
            return str(key)
    return ""


def _are_as_long(lists: dict[str, Any]) -> bool:
    return all(isinstance(one, list) for one in lists.values()) and len({len(one) for one in lists.values()}) == 1


def _are_named(value: Any) -> bool:
    """Tell whether a value is a list of records of two texts."""
    return isinstance(value, list) and all(
        isinstance(one, dict) and len(one) == 2 and all(isinstance(inner, str) for inner in one.values())
        for one in value
    )


#: What a recorded event may hold that is nobody else's business: a comment does not show it.
_PRIVATE: Final = re.compile(r"authorization|cookie|token|secret|passw|api.?key|bearer", re.IGNORECASE)
#: Values that are mappings by themselves.
_WHOLE: Final = ("data", "old", "new")


def _step(key: str) -> str:
    """Return the step to a key, as a place has it."""
    return f"[{json.dumps(key, ensure_ascii=not key.isprintable())}]"


def _quoted(at: str) -> str:
    """Return a place as YAML has it."""
    return "'" + at.replace("'", "''") + "'"


def _plain(text: str) -> str:
    """Return a text that stays on its line: what a file or an event holds must not become a row."""
    return "".join(sign if sign.isprintable() else "·" for sign in text)


def _shown(values: list[Any]) -> str:
    text = _plain(json.dumps(values[0], ensure_ascii=False)) if values else "null in every event"
    if _PRIVATE.search(text):
        return "what may be private"
    return text if len(text) <= 60 else f"{text[:59]}…"


def _are_events(value: Any) -> bool:
    """Tell whether a value is a list of mappings that are no header fields."""
    mappings = isinstance(value, list) and all(isinstance(item, dict) for item in value)
    return mappings and form_of_fields(value) in ("", "any")


def _batch_of(events: list[Any]) -> tuple[str, str, bool]:
    """Return the place of a list of mappings that every event has, or of lists by key: as a step, its key, which."""
    if not events or not all(isinstance(event, dict) for event in events):
        return "", "", False
    for key in events[0]:
        values = [event.get(key) for event in events]
        step = _step(str(key))
        if all(map(_are_events, values)) and any(values):
            return step, str(key), False
        mappings = all(isinstance(one, dict) and all(map(_are_events, one.values())) for one in values)
        if mappings and any(any(one.values()) for one in values):
            return step, str(key), True
    return "", "", False
