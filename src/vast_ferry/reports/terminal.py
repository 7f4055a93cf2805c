"""The one way to a terminal: whatever comes from outside is shown, never sent, where a terminal would obey it.

Names, settings, samples, logs and errors may hold escape sequences, or signs that turn the direction of writing around.
All output goes through `visible`, JSON through `json_text`, and what is laid out through the console made here.
"""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from rich.console import Console, RenderableType

#: C0 but tab and line feed, DEL, C1, line and paragraph separators, bidirectional controls, halves of surrogate pairs.
UNSAFE = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff]")
#: JSON escapes the first of them by itself.
_UNSAFE_IN_JSON = re.compile("[\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff]")


def _shown(found: re.Match[str]) -> str:
    code = ord(found[0])
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}"


def visible(text: str) -> str:
    r"""Return a text with everything that a terminal would obey written as an escape.

    >>> visible("a\x1b[2J")
    'a\\x1b[2J'
    """
    return UNSAFE.sub(_shown, text)


def safe_json(text: str) -> str:
    """Return JSON text with the same characters escaped as JSON has it (RFC 8259 §7)."""
    return _UNSAFE_IN_JSON.sub(lambda found: f"\\u{ord(found[0]):04x}", text)


def json_text(data: Any, indent: int | None = 2) -> str:
    """Return a value as JSON that is safe to print."""
    return safe_json(json.dumps(data, ensure_ascii=False, indent=indent))


def say(text: str) -> None:
    """Print a line on standard error."""
    sys.stderr.write(f"{visible(text)}\n")


def console(*, stderr: bool = False) -> Console:
    """Return the console for results (or, on stderr, for what happens on the way)."""
    import os

    from rich.console import Console, ConsoleOptions
    from rich.segment import Segment
    from rich.text import Text

    class Shown(Console):
        """Lays out only what a terminal may see."""

        def render_str(self, text: str, **options: Any) -> Text:
            return super().render_str(visible(text), **options)

        def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
            if isinstance(renderable, Text) and UNSAFE.search(renderable.plain):
                renderable = _visible_text(renderable)
            return super().render(renderable, options)

    made = Shown(stderr=stderr, highlight=False, emoji=False, markup=False)
    if not made.is_terminal and "COLUMNS" not in os.environ:
        made.width = 100
    return made


def _visible_text(text: Any) -> Any:
    """Return styled text with its unsafe characters written as escapes; styles keep their places."""
    made, at = text[:0], 0
    made.style, made.justify, made.overflow, made.no_wrap = text.style, text.justify, text.overflow, text.no_wrap
    for found in UNSAFE.finditer(text.plain):
        made.append_text(text[at : found.start()])
        made.append(_shown(found))
        at = found.end()
    return made.append_text(text[at:])


def print_text(text: RenderableType) -> None:
    """Print a result on stdout, without the blanks that fill up columns.

    A plain sentence stays one line, however long: the path or the command in it is there to be copied.
    """
    made = console()
    with made.capture() as capture:
        made.print(text, soft_wrap=isinstance(text, str))
    sys.stdout.write(re.sub(r" +((?:\x1b\[[0-9;]*m)*)$", r"\1", capture.get(), flags=re.MULTILINE))
