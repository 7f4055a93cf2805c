"""How parts of answers are spelt in JavaScript: objects and lists, one a line where they are long, and their keys."""

from __future__ import annotations

from vast_ferry.documents.javascript_file import JavaScriptFile
from vast_ferry.mapping.javascript.functions import Source, function
from vast_ferry.mapping.javascript.names import is_identifier


def either_way(key: str, flag: str) -> Source:
    """Return the function that gives the entries of content which may be a text or bytes."""
    lines = [
        "if (content === undefined || content === null) return {};",
        f'if (typeof content === "string") return {{ {pair(key, "content")} }};',
        f'return {{ {key}: bytesOf(content, "").toString("base64"), {flag}: true }};',
    ]
    return Source("contentOf", function("contentOf", ["content"], "\n".join(lines)), used=frozenset(["bytesOf"]))


def is_cookie(quoted: str) -> bool:
    """Tell whether a header field's name, in its quotes, is that of a cookie."""
    return quoted[1:-1].lower() == "set-cookie"


def pairs_of(conditional: list[tuple[str, str]]) -> list[str]:
    """Return the entries of a list of fields that are told under a condition."""
    return [f"...({held} !== undefined ? [[{name}, {held}]] : [])" for name, held in conditional]


def entries_of(conditional: list[tuple[str, str]]) -> list[str]:
    """Return the entries of a mapping of fields that are told under a condition."""
    return [f"...({held} !== undefined && {{ {pair(as_key(name), held)} }})" for name, held in conditional]


def is_literal(source: str) -> bool:
    """Tell whether the source of a value is a text without anything filled in."""
    return source[:1] in ("'", '"') or (source[:1] == "`" and "${" not in source)


def object_of(named: list[str], pad: str = "") -> str:
    """Return an object of entries, in one line, or with `pad` one a line."""
    if not named:
        return ""
    if not pad:
        return f"{{ {', '.join(named)} }}"
    return "{" + "".join(f"\n{pad}{one}," for one in named) + f"\n{pad[:-2]}}}"


def pair(name: str, text: str) -> str:
    """Return a key with its value, once where a name stands for a value of that name."""
    return name if name == text else f"{name}: {text}"


def as_key(quoted: str) -> str:
    """Return a text in its quotes as it stands as an object's key."""
    return quoted[1:-1] if is_identifier(quoted[1:-1]) else quoted


def quote_of(file: JavaScriptFile) -> str:
    """Return the quote that a file's texts stand in."""
    return "'" if file.content.count(b"'") > file.content.count(b'"') else '"'
