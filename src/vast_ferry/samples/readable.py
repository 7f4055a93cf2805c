"""The readable form of a sample (YAML): an event in hub terms, what services held before, answers to outbound calls."""

from __future__ import annotations

import base64
import http
import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from vast_ferry.documents.document import Document
from vast_ferry.documents.yaml_file import read_yaml
from vast_ferry.hub.fields import CHECKS, EVENTS, OF_THE_CALL, Field
from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping.helpers import file_bytes

#: When what a sample tells did happen, unless it says so.
TIME: Final = "2026-11-25T08:30:00.000Z"

KEYS: Final = ("kind", "event", "events", "from", "native", "before", "answers")
SERVICES: Final = {
    "objects": OPERATIONS["object.write"].takes,
    "records": OPERATIONS["record.write"].takes,
    "functions": {
        "name": OPERATIONS["function.call"].takes["name"],
        "answer": Field("answer", True, "value", "None", "what it answers, a JSON value"),
    },
}
#: What each of what services hold has to say.
NEEDED: Final = ("bucket", "key", "body", "table", "keys", "record", "name")
ANSWER: Final = ("method", "url", "status", "headers", "body", "again")


@dataclass(frozen=True, slots=True)
class Readable:
    """A sample as its file says it: events as hub fields, or `native` data of the provider `source`."""

    kind: str
    events: tuple[dict[str, Any], ...]
    native: Any = None
    source: str = ""
    before: dict[str, Any] = field(default_factory=dict)
    answers: tuple[dict[str, Any], ...] = ()


def read_readable(path: Path, shown: str, name: str) -> Readable:
    """Return the sample in a YAML file; an event that names no `id` gets it from `name`.

    A body is a text, or `{json: …}`, or `{base64: …}`. Raises BadInput with the line of what can't stand.
    """
    return _Reader(read_yaml(path, shown, "the sample"), name).read()


class _Reader:
    def __init__(self, document: Document, name: str) -> None:
        self.document, self.name = document, name

    def refuse(self, what: str, remedy: str, *at: str | int) -> BadInput:
        return BadInput(what, remedy, self.document.place(*at))

    def mapping(self, data: Any, known: Iterable[str], *at: str | int) -> dict[str, Any]:
        known = list(known)
        if not isinstance(data, dict):
            raise self.refuse(
                f"{'.'.join(map(str, at)) or 'the sample'} is not a mapping", "Write `key: value` pairs", *at
            )
        for key in data:
            if key not in known:
                raise self.refuse(
                    f"there is no {key!r} here{nearest(str(key), known)}", f"Use one of: {', '.join(known)}", *at, key
                )
        return data

    def read(self) -> Readable:
        data = self.mapping(self.document.data, KEYS)
        given = [key for key in ("event", "events", "native") if key in data]
        if len(given) != 1:
            raise self.refuse(
                f"a sample has one of event, events and native, not {' and '.join(given) or 'none of them'}",
                "Give the event in hub terms, a list of them, or a native one",
                *given[1:2],
            )
        before, answers = self.before(data.get("before", {})), tuple(self.answers(data.get("answers", [])))
        if "native" in data:
            source = data.get("from", "")
            if not isinstance(source, str):
                raise self.refuse("from is not a text", "Name a provider", "from")
            return Readable("", (), data["native"], source, before, answers)
        kind = data.get("kind")
        if not isinstance(kind, str) or kind not in EVENTS:
            what = f"there is no kind {kind!r}{nearest(str(kind), EVENTS)}" if "kind" in data else "the kind is missing"
            raise self.refuse(what, f"Add `kind:`, one of {', '.join(EVENTS)}", "kind")
        if "event" in data:
            events = [self.event(kind, data["event"], self.name, "event")]
        else:
            listed = self.listed(data["events"], "events")
            events = [
                self.event(kind, one, f"{self.name}#{number}", "events", number - 1)
                for number, one in enumerate(listed, 1)
            ]
        if is_request(kind) and len(events) > 1:
            raise self.refuse("HTTP requests don't come in batches", "Keep one a sample", "events")
        return Readable(kind, tuple(events), before=before, answers=answers)

    def listed(self, data: Any, *at: str | int) -> list[Any]:
        if not isinstance(data, list):
            raise self.refuse(f"{'.'.join(map(str, at))} is not a list", "Begin each of its parts with `- `", *at)
        return data

    def event(self, kind: str, data: Any, identity: str, *at: str | int) -> dict[str, Any]:
        fields = {name: one for name, one in EVENTS[kind].items() if one.truth and name not in OF_THE_CALL}
        return self.fields(data, fields, {"id": identity, "time": TIME, "due": TIME}, *at)

    def fields(
        self, data: Any, fields: Mapping_, defaults: dict[str, Any], *at: str | int, needed: Iterable[str] = ()
    ) -> dict[str, Any]:
        data = self.mapping(data, fields, *at)
        made = {}
        for name, one in fields.items():
            if name not in data:
                if name in needed:
                    raise self.refuse(f"{'.'.join(map(str, at))} has no {name}", f"Add `{name}:` ({one.meaning})", *at)
                made[name] = defaults.get(name, one.default_value)
                continue
            value = self.body(data[name], *at, name) if one.holds == "bytes" else _plain(data[name], one)
            if not CHECKS[one.holds](value):
                raise self.refuse(
                    f"{name} is {_brief(data[name])}, which is no {one.holds}", f"Give {one.meaning}", *at, name
                )
            made[name] = value
        if not made.get("content_type", True) and isinstance(data.get("body"), dict) and "json" in data["body"]:
            made["content_type"] = "application/json"
        return made

    def body(self, data: Any, *at: str | int) -> bytes:
        if isinstance(data, str):
            return data.encode("utf-8")
        if isinstance(data, dict) and len(data) == 1:
            if "json" in data:
                return json.dumps(data["json"], ensure_ascii=False).encode("utf-8")
            if isinstance(data.get("base64"), str):
                try:
                    return base64.b64decode(data["base64"], validate=True)
                except ValueError:
                    raise self.refuse("the content is not Base64", "Encode it (RFC 4648 §4)", *at) from None
        raise self.refuse(
            f"the content is {_brief(data)}", "Give a text, or {json: …}, or {base64: …}, and nothing else", *at
        )

    def before(self, data: Any) -> dict[str, Any]:
        data = self.mapping(data, SERVICES, "before")
        made: dict[str, Any] = {}
        for name, fields in SERVICES.items():
            listed = self.listed(data.get(name, []), "before", name)
            needed = [one for one in NEEDED if one in fields]
            if name in data:
                made[name] = [
                    self.fields(one, fields, {}, "before", name, index, needed=needed)
                    for index, one in enumerate(listed)
                ]
        return made

    def answers(self, data: Any) -> Iterable[dict[str, Any]]:
        for index, one in enumerate(self.listed(data, "answers")):
            at = ("answers", index)
            answer = dict(self.mapping(one, ANSWER, *at))
            wrong = [
                name
                for name, good in _ANSWER_CHECKS.items()
                if (name in answer or name == "url") and not good(answer.get(name))
            ]
            if wrong:
                raise self.refuse(
                    f"{wrong[0]} of an answer is {_brief(answer.get(wrong[0]))}",
                    "An answer has a url, and may have method, status, headers (a mapping), body, and again: true",
                    *at,
                )
            headers = answer.get("headers", {})
            body = answer.get("body", "")
            if isinstance(body, dict) and "json" in body and "content-type" not in {n.lower() for n in headers}:
                headers = {**headers, "content-type": "application/json"}
            yield {**answer, "headers": list(headers.items()), "body": self.body(body, *at, "body")}


Mapping_ = dict[str, Field] | Any

_ANSWER_CHECKS: Final[dict[str, Callable[[Any], bool]]] = {
    "url": lambda value: isinstance(value, str) and "://" in value,
    "method": lambda value: isinstance(value, str) and value.isupper(),
    "status": lambda value: (
        isinstance(value, int) and value in {status.value for status in http.HTTPStatus if status >= 200}
    ),
    "headers": CHECKS["texts"],
    "again": lambda value: isinstance(value, bool),
}


def _plain(value: Any, field: Field) -> Any:
    """Return a value as the hub holds it: pairs are written as a list of pairs, or as a mapping where none repeats."""
    if field.holds != "pairs":
        return value
    if isinstance(value, dict):
        return [(name, text) for name, text in value.items()]
    if isinstance(value, list):
        return [tuple(pair) if isinstance(pair, list) else pair for pair in value]
    return value


def _brief(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False, default=str)
    return text if len(text) <= 60 else f"{text[:57]}…"


# --- writing ---


def readable_data(
    kind: str,
    events: Sequence[Mapping[str, Any]],
    before: Mapping[str, Any] | None = None,
    answers: Sequence[Mapping[str, Any]] = (),
) -> dict[str, Any]:
    """Return what the readable form of a sample holds: of events the fields that are not what they are untold."""
    told = [_told(kind, event) for event in events]
    data: dict[str, Any] = {"kind": kind}
    data |= {"event": told[0]} if len(told) == 1 else {"events": told}
    if held := held_before(before or {}):
        data["before"] = held
    if answers:
        data["answers"] = [_answer(one) for one in answers]
    return data


def held_before(before: Mapping[str, Any]) -> dict[str, Any]:
    """Return what services held before, as the readable form has it."""
    return {name: [_plainly(one) for one in listed] for name, listed in before.items() if listed}


def _told(kind: str, event: Mapping[str, Any]) -> dict[str, Any]:
    made = {}
    for name, one in EVENTS[kind].items():
        if not one.truth or name in OF_THE_CALL or name in ("id", "route", "captures") or name not in event:
            continue
        value, usual = event[name], TIME if name in ("time", "due") else one.default_value
        if isinstance(value, bytes):
            value, usual = file_bytes(value), ""
        elif one.holds == "pairs":
            value, usual = [list(pair) for pair in value], []
        if value != usual:
            made[name] = value
    return made


def _plainly(one: Mapping[str, Any]) -> dict[str, Any]:
    return {
        name: file_bytes(value) if isinstance(value, bytes) else value
        for name, value in one.items()
        if name in NEEDED or value not in ("", {}, None)
    }


def _answer(one: Mapping[str, Any]) -> dict[str, Any]:
    made = dict(one)
    if "headers" in made:
        made["headers"] = dict(made["headers"])
    if isinstance(made.get("body"), bytes):
        made["body"] = file_bytes(made["body"])
    return made
