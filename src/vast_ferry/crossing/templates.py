"""Templates of code, our own and those beside profiles: compiled once, and filled in within a time."""

from __future__ import annotations

import contextlib
import functools
import sys
import time
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import jinja2
import jinja2.sandbox

from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.mapping.javascript.writing import in_comment, literal
from vast_ferry.mapping.python import docstring

#: A template of a profile may take so long, in seconds.
LONGEST_TEMPLATE: float = 5


@functools.lru_cache(maxsize=256)
def template(text: str) -> jinja2.Template:
    """Return a template of code, compiled; every value that becomes source goes through `literal`."""
    made = jinja2.sandbox.SandboxedEnvironment(  # a profile's template may fill in, and do nothing else
        undefined=jinja2.StrictUndefined, keep_trailing_newline=True
    )
    made.filters["literal"] = repr
    made.filters["docstring"] = docstring
    made.filters["javascript"] = literal
    made.filters["in_comment"] = in_comment
    return made.from_string(text)


@functools.cache
def own_template(name: str) -> jinja2.Template:
    """Return a template that stands beside this module."""
    return template(Path(__file__).with_name(name).read_text(encoding="utf-8"))


def filled(text: str, values: Mapping[str, Any], at: Place, whose: str) -> str:
    """Return a profile's template filled in; raises BadInput, with its place, for one that fails or does not end."""
    line = 0
    try:
        with _time_limit(LONGEST_TEMPLATE):
            return template(text).render(**values)
    except TimeoutError:
        why = f"it does not end within {LONGEST_TEMPLATE} s"
    except jinja2.TemplateError as error:
        why, line = f"{type(error).__name__}: {error}", getattr(error, "lineno", None) or 0
    except (
        *(TypeError, ValueError, ArithmeticError, LookupError, AttributeError, RecursionError, MemoryError),
    ) as error:
        why = f"{type(error).__name__}: {error}"
    raise BadInput(f"the template of {whose} can't be filled in: {why}", "Mend it", replace(at, line=line))


@contextlib.contextmanager
def _time_limit(seconds: float) -> Iterator[None]:
    """Raise TimeoutError in Python code that runs longer; looked at with every line of it."""
    end = time.monotonic() + seconds
    before = sys.gettrace()

    def look(frame: Any, event: str, argument: Any) -> Any:
        if time.monotonic() > end:
            raise TimeoutError
        return look

    sys.settrace(look)
    try:
        yield
    finally:
        sys.settrace(before)
