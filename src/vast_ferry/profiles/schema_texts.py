"""Texts that a profile may hold, each held to a form that can be nothing else, and what all parts of one share."""

from __future__ import annotations

import ast
import keyword
import re
from typing import Annotated, Final

from pydantic import AfterValidator, BaseModel, ConfigDict, Field


def _inside(path: str) -> str:
    if (
        path.startswith("/")
        or "\\" in path
        or not path.isprintable()
        or any(part in ("", ".", "..") for part in path.split("/"))
    ):
        raise ValueError("must be a path inside the project")
    return path


def _names(text: str) -> str:
    """Refuse what Python keeps for itself: such a name would mean something else in generated code, or nothing."""
    for name in text.split(".") if text else ():
        if not name.isidentifier() or keyword.iskeyword(name) or name.startswith("__"):
            raise ValueError(f"{name!r} can't be a name in Python code")
    return text


def _line(text: str) -> str:
    if not text.isprintable() or any(sign in text for sign in '"\\'):
        raise ValueError("must be one line without quotes, backslashes and control characters")
    return text


def _parameter(text: str) -> str:
    name, mark, default = text.partition("=")
    try:
        literal = repr(ast.literal_eval(default.strip())) if mark else ""
    except (ValueError, SyntaxError, MemoryError, RecursionError):
        raise ValueError("must be a name, or name=literal") from None
    _names(name.strip())
    return f"{name.strip()}={literal}" if mark else name.strip()


def name_of_function(text: str) -> str:
    if re.search(r"[{}]", text.replace("{module}", "").replace("{function}", "")):
        raise ValueError("must be a text in which {module} and {function} are all that stands in braces")
    return text


# What a profile says goes into generated code and paths: each such text is held to a form that can be nothing else.
_NAME: Final = r"^[a-z][a-z0-9_-]*$"
_IDENTIFIER: Final = r"^[A-Za-z_][A-Za-z0-9_]*$"
_DOTTED: Final = r"^[A-Za-z_][A-Za-z0-9_]*(\.[A-Za-z_][A-Za-z0-9_]*)*$"
#: Names set apart by dots, or a call that is made step by step; `mapping.chains` reads those.
_CALLED: Final = r"^[A-Za-z_][A-Za-z0-9_]*(\.[A-Za-z_][A-Za-z0-9_]*|\([^()]{0,200}\)|\[[^\[\]]{1,200}\])*$"
Name = Annotated[str, Field(pattern=_NAME)]
Identifier = Annotated[str, Field(pattern=_IDENTIFIER), AfterValidator(_names)]
Dotted = Annotated[str, Field(pattern=_DOTTED), AfterValidator(_names)]
Called = Annotated[str, Field(pattern=_CALLED)]
Line = Annotated[str, Field(max_length=120), AfterValidator(_line)]
Inside = Annotated[str, AfterValidator(_inside)]
Parameter = Annotated[str, AfterValidator(_parameter)]


def in_words(pattern: str) -> str:
    """Return what a text has to be that a pattern asks for, as a person would say it; empty for any other pattern."""
    return {
        _NAME: "a name in lower case, of letters, digits, - and _",
        _IDENTIFIER: "a name of letters, digits and _",
        _DOTTED: "names set apart by dots",
        _CALLED: "a call, step by step, such as client.put or open('store:{bucket}').item(key).read",
    }.get(pattern, "")


class Model(BaseModel):
    """A part of a profile: unknown keys are mistakes."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
