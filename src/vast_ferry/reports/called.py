"""One call: its answer, its log, what it did, as text for people and as plain data."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any, Final

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vast_ferry.checking.calling import Called
from vast_ferry.hub.http import HttpReply
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.mapping.helpers import file_bytes

#: So much of a content is shown to people.
_SHOWN: Final = 4000
#: What the line of an effect says already.
_IN_HEAD: Final = ("bucket", "key", "channel", "table", "keys")
_STYLES: Final = {Ending.REPLIED: "green", Ending.RETURNED: "green", Ending.ACKNOWLEDGED: "green"}


def called_data(called: Called) -> dict[str, Any]:
    """Return a call as plain data: how it ended, the answer, the log, effects, seconds."""
    one = called.outcome
    return {
        "function": called.function,
        "at": called.at,
        "sample": called.sample,
        "ending": str(one.ending),
        "reply": _reply_data(one.reply) if one.reply is not None else None,
        "value": _plain(one.value),
        "error": {"name": one.error, "message": one.message, "trace": one.trace} if one.error or one.message else None,
        "again": list(one.again),
        "effects": [{"operation": each.operation, **_plain(dict(each.fields))} for each in one.effects],
        "log": list(one.logs),
        "output": one.output,
        "unseen": [list(each) for each in one.unseen],
        "milliseconds": round(one.seconds * 1000, 3),
    }


def called_text(called: Called) -> RenderableType:
    """Return a call for people: a line of how it ended, the answer as it goes out, the log, what was done."""
    return Group(*_parts(called))


def _parts(called: Called) -> Iterator[RenderableType]:
    one = called.outcome
    head = Text.assemble((called.function, "bold"), f" at {called.at} on {called.sample}: ")
    style = "red" if one.reply is not None and one.reply.status >= 500 else _STYLES.get(one.ending, "red")
    yield head.append(str(one), style).append(f", {one.seconds * 1000:.1f} ms", "dim")
    if one.reply is not None:
        yield Text()
        yield _answer(one.reply)
    elif one.ending is Ending.RETURNED:
        yield Text()
        yield Padding(Text(json.dumps(one.value, ensure_ascii=False, indent=2, default=str)), (0, 0, 0, 2))
    if one.trace:
        yield Padding(Text(one.trace, "red"), (0, 0, 0, 2))
    yield from _listed("Log", [*one.logs, *one.output.rstrip("\n").split("\n")] if one.output else one.logs)
    yield from _done(one)
    yield from _listed("Not seen here", [f"{what} ({place})" for what, place in one.unseen])


def _answer(reply: HttpReply) -> RenderableType:
    lines = [f"{name}: {value}" for name, value in reply.headers]
    content, note = _content(reply.body)
    parts: list[RenderableType] = [Text("\n".join(lines), "dim")] if lines else []
    if content:
        parts += [Text(), Text(content)] if lines else [Text(content)]
    if note:
        parts.append(Text(note, "dim"))
    return Padding(Group(*parts), (0, 0, 0, 2))


def _content(body: bytes) -> tuple[str, str]:
    """Return a content as people read it, and what of it is not shown."""
    try:
        text = body.decode("utf-8")
    except UnicodeDecodeError:
        shown = body[:64].hex(" ")
        return "", f"{len(body):,} bytes that are no text: {shown}{' …' * (len(body) > 64)}"
    try:
        if text[:1] in ("{", "["):
            text = json.dumps(json.loads(text), ensure_ascii=False, indent=2)
    except (ValueError, RecursionError):
        pass
    more = len(text) - _SHOWN
    return text[:_SHOWN], f"… and {more:,} characters more" if more > 0 else ""


def _listed(title: str, lines: list[str]) -> Iterator[RenderableType]:
    if lines:
        yield Text()
        yield Text(title, "bold")
        yield Padding(Text("\n".join(lines)), (0, 0, 0, 2))


def _done(one: Outcome) -> Iterator[RenderableType]:
    if not one.effects:
        return
    yield Text()
    yield Text("Done", "bold")
    for each in one.effects:
        yield Padding(Text(str(each)), (0, 0, 0, 2))
        table = Table.grid(padding=(0, 2, 0, 0))
        told = str(each).split(" ")[1:]
        for name, value in each.fields.items():
            if value not in (None, "", {}, []) and str(value) not in (*told, " ".join(told)) and name not in _IN_HEAD:
                table.add_row(Text(name, "dim"), Text(_short(value), "dim"))
        yield Padding(table, (0, 0, 0, 6))


def _short(value: Any) -> str:
    plain = _plain(value)
    text = plain if isinstance(plain, str) else json.dumps(plain, ensure_ascii=False)
    return text if len(text) <= 300 else f"{text[:299]}…"


def _reply_data(reply: HttpReply) -> dict[str, Any]:
    return {"status": reply.status, "headers": [list(one) for one in reply.headers], "body": _plain(reply.body)}


def _plain(value: Any) -> Any:
    """Return a value that JSON can hold: bytes as text where they are UTF-8, else as Base64 under that name."""
    if isinstance(value, bytes):
        return file_bytes(value)
    if isinstance(value, Mapping):
        return {str(key): _plain(one) for key, one in value.items()}
    return [_plain(one) for one in value] if isinstance(value, list | tuple) else value
