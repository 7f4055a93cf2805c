"""The law of what is written by hand: it gives just what the compiled reader gives, order and repeats counted.

Of one shape every hub field is held against its reader; of a pair, every row of the one, as it would be written in a
handler at the other, against what the compiled view makes there. An expression that says what it takes for granted
(`note`) is held to the law only where that holds.
"""

from __future__ import annotations

import inspect
import json
import textwrap
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.by_hand import ByHand
from vast_ferry.mapping.compile.functions import Source, view_event, view_place
from vast_ferry.mapping.compile.writing import CannotWrite
from vast_ferry.mapping.emit import beside_source, run_source
from vast_ferry.mapping.inline import Inline, native_value
from vast_ferry.mapping.laws import LawError, compiled, to_end
from vast_ferry.mapping.losses import Fields
from vast_ferry.mapping.python import in_handler
from vast_ferry.mapping.tables import HUB_CALLS, EventShape

Native = Callable[[Fields], dict[str, Any]]
#: What is only there while a handler runs, or depends on when it is asked.
_NOT_COMPARED = frozenset(["log", "secret", "setting", "time_left", "function", "limit"])


def _is_utf_8(event: Fields) -> bool:
    kind = event["content_type"] if "content_type" in event else helpers.content_type_of(event["headers"])
    return helpers.charset_of(kind).replace("_", "-") in ("utf-8", "utf8", "us-ascii")


def _always(event: Fields) -> bool:
    return True


def _is_json_in_utf_8(event: Fields) -> bool:
    """Tell whether `json` takes content for UTF-8: a mark at its beginning, or a NUL, says another encoding."""
    return _is_utf_8(event) and json.detect_encoding(event["body"]) == "utf-8"


#: JSON is exchanged in UTF-8 (RFC 8259 §8.1). What an expression takes for granted → whether it holds of an event.
HOLDS: Mapping[str, Callable[[Fields], bool]] = {"charset-assumed": _is_utf_8, "json": _is_json_in_utf_8}


def function_of(name: str, code: ByHand, parameters: tuple[str, ...]) -> Callable[..., Any]:
    """Return what is written by hand as a function of what a handler is handed."""
    own: dict[str, ex.Expression] = {parameter: ex.Variable(parameter) for parameter in parameters}
    body = f"return {in_handler(ex.with_parameters(code.expression, own))}"
    beside = [beside_source(one) for one in sorted(code.beside)]
    imports = sorted(code.imports.union(*(one.imports for one in beside)))
    word = "async def" if code.awaits else "def"
    lines = "\n".join([*imports, *(one.text for one in beside), f"{word} {name}({', '.join(parameters)}):"])
    scope: dict[str, Any] = {}
    exec(compile(f"{lines}\n{textwrap.indent(body, '    ')}\n", f"<by hand: {name}>", "exec"), scope)  # noqa: S102
    made: Callable[..., Any] = scope[name]
    return made


def handed_over(shape: EventShape) -> Native:
    """Return what makes what a handler is handed of an event, by the names of its parameters."""
    write = compiled(HUB_CALLS[shape.kind], shape)
    filled = {row.at.root for row in shape.rows} | {constant.at.root for constant in shape.constants}
    unfilled = [name for name in shape.parameters if name not in filled]

    def native(event: Fields) -> dict[str, Any]:
        called = {
            **event,
            "function": "f",
            "limit": 1.0,
            "log": print,
            "secret": str,
            "setting": str,
            "time_left": float,
        }
        made = write(called, *(None for _ in unfilled))
        return dict(zip(shape.parameters, made if len(shape.parameters) > 1 else (made,), strict=True))

    return native


def _outcome(call: Callable[..., Any], values: Mapping[str, Any], names: tuple[str, ...]) -> Any:
    """Return what a call gives, or the class of what it raises: a handler may catch that."""
    try:
        made = call(*(values[name] for name in names))
        return to_end(made) if inspect.iscoroutine(made) else made
    except Exception as error:
        return type(error)


def _held(shape: EventShape, what: str, code: ByHand, view: Source, granted_by: str = "") -> Callable[[Fields], None]:
    granted = HOLDS.get(code.note or granted_by, _always)
    native = handed_over(shape)
    by_hand, reader = function_of("by_hand", code, shape.parameters), run_source(view)

    def check(event: Fields) -> None:
        if not granted(event):
            return
        one = _outcome(by_hand, native(event), shape.parameters)
        other = _outcome(reader, native(event), view.parameters)
        if _plain(one) != _plain(other):
            raise LawError(f"{what}: by hand {one!r}, compiled {other!r}", event)

    return check


def _plain(value: Any) -> Any:
    """Return a value in which order counts, of mappings as well, and pairs are pairs whether tuple or list."""
    if isinstance(value, dict):
        return ["mapping", *((key, _plain(inner)) for key, inner in value.items())]
    if isinstance(value, (list, tuple)):
        return [_plain(inner) for inner in value]
    return (type(value).__name__, value)


def fields_by_hand(shape: EventShape) -> Iterator[tuple[str, Callable[[Fields], None]]]:
    """Yield each hub field that can be written by hand in a shape, and its check."""
    reads = Inline.of(shape)
    for name in shape.fields:
        code = None if name in _NOT_COMPARED or not reads.rows.get(name) else reads.hub(name)
        if code is not None:
            yield name, _held(shape, name, code, view_event("compiled", shape, name))


def rows_by_hand(one: EventShape, other: EventShape) -> Iterator[tuple[str, Callable[[Fields], None]]]:
    """Yield each row of a shape that can be written by hand at another, and its check."""
    reads = Inline.of(other)
    for row in one.rows:
        if row.field in _NOT_COMPARED or one.each is not None or row.lens.methods:
            continue
        code = native_value(row, reads)
        if code is None:
            continue
        try:
            view = view_place("compiled", other, one, row.at)
        except (CannotWrite, KeyError, StopIteration):
            continue  # a way to more, such as a method
        yield f"{row.at} ({row.field})", _held(other, str(row.at), code, view, row.lens.content)
