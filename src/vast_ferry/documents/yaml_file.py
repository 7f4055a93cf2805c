"""YAML 1.2 documents: safe, without duplicate keys, without aliases that multiply, with the place of every part."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import yaml

from vast_ferry.documents.document import Document, Path_, read_text
from vast_ferry.hub.findings import BadInput, Place

try:
    from yaml import CSafeLoader as _Base
except ImportError:  # a build of PyYAML without its C part
    from yaml import SafeLoader as _Base  # type: ignore[assignment]

#: More parts than any hand-written file has; aliases count each time they are used.
MOST_PARTS = 500_000
DEEPEST = 100


class _Loader(_Base):
    """The core schema of YAML 1.2 (chapter 10.3): `on` and `no` are texts, and there are no base-60 numbers."""

    yaml_implicit_resolvers: dict[str, list[tuple[str, re.Pattern[str]]]] = {}  # noqa: RUF012


class _Dumper(yaml.SafeDumper):
    """Quotes what YAML 1.1 or 1.2 would read as anything but a text, so that every reader reads the same."""


def _text(dumper: _Dumper, text: str) -> yaml.ScalarNode:
    # What the scanner of YAML 1.1 takes for a line break is written as an escape.
    quoted = '"' if re.search("[\x85\u2028\u2029]", text) else None
    return dumper.represent_scalar("tag:yaml.org,2002:str", text, style=quoted)


_Dumper.add_representer(str, _text)

_SCALARS = frozenset(f"tag:yaml.org,2002:{kind}" for kind in ("null", "bool", "int", "float", "str"))

for _tag, _pattern, _first in (
    ("null", r"~|null|Null|NULL|", ["~", "n", "N", ""]),
    ("bool", r"true|True|TRUE|false|False|FALSE", list("tTfF")),
    ("int", r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+", list("-+0123456789")),
    (
        "float",
        r"[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?|[-+]?\.(?:inf|Inf|INF)|\.(?:nan|NaN|NAN)",
        list("-+.0123456789"),
    ),
):
    for _of in (_Loader, _Dumper):
        _of.add_implicit_resolver(f"tag:yaml.org,2002:{_tag}", re.compile(f"(?:{_pattern})\\Z"), _first)


def read_yaml(path: Path, shown: str, what: str, any_key: str = "") -> Document:
    """Return the document in a YAML file; `shown` and `what` are what messages call the file.

    Keys are texts and numbers; those of mappings under `any_key` may be true, false and null as well. Raises BadInput,
    with line and column, for what is not YAML, holds a key twice, or grows without bound.
    """
    return parse_yaml(read_text(path, shown, what), shown, what, any_key)


def parse_yaml(text: str, shown: str, what: str, any_key: str = "") -> Document:
    """Return the document that `text` is."""
    # To YAML 1.2 these are no line breaks (chapter 5.4); to the scanner they are: it gets others in their place.
    spare = (chr(code) for code in range(0xE000, 0xF8FF) if chr(code) not in text)
    breaks = {ord(sign): next(spare) for sign in "\x85\u2028\u2029" if sign in text}
    loader = _Loader(text.translate(breaks))
    try:
        root = loader.get_single_node()
        if root is None:
            return Document(shown, None)
        walk = _Walk(loader, (shown, what), any_key, {ord(other): chr(sign) for sign, other in breaks.items()})
        return Document(shown, walk.value(root, ()), walk.places)
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        place = Place(shown, mark.line + 1, mark.column + 1) if mark else Place(shown)
        problem = " ".join(part for part in (error.context, error.problem) if part)
        raise BadInput(f"{what} is not YAML: {problem}", "Mend the line; indent with spaces", place) from None
    except (yaml.YAMLError, RecursionError) as error:
        raise BadInput(f"{what} is not YAML: {error}", "Mend the file", Place(shown)) from None
    finally:
        loader.dispose()


class _Walk:
    """Turns nodes into plain data and notes their places."""

    def __init__(self, loader: Any, called: tuple[str, str], any_key: str, back: dict[int, str]) -> None:
        self.loader, (self.shown, self.what), self.any_key, self.back = loader, called, any_key, back
        self.places: dict[Path_, tuple[int, int]] = {}
        self.parts = 0

    def value(self, node: yaml.Node, path: Path_) -> Any:
        line, column = node.start_mark.line + 1, node.start_mark.column + 1
        self.places.setdefault(path, (line, column))
        self.parts += 1
        if self.parts > MOST_PARTS or len(path) > DEEPEST:
            raise BadInput(
                f"{self.what} has too many parts (over {MOST_PARTS:,}, aliases counted) or is over {DEEPEST} deep",
                "Write out what the aliases stand for, or split the file",
                Place(self.shown, line, column),
            )
        if isinstance(node, yaml.ScalarNode):
            if node.tag not in _SCALARS:
                raise self._bad(node, f"has a tag {node.tag!r}", "Take the tag out")
            try:
                return self._scalar(node)
            except ValueError as error:
                raise self._bad(node, f"has a value that can't be read: {error}", "Put it in quotes") from None
        if isinstance(node, yaml.SequenceNode):
            return [self.value(item, (*path, index)) for index, item in enumerate(node.value)]
        assert isinstance(node, yaml.MappingNode)
        data: dict[Any, Any] = {}
        for key_node, value_node in node.value:
            key: Any = self._scalar(key_node) if isinstance(key_node, yaml.ScalarNode) else None
            scalar = isinstance(key_node, yaml.ScalarNode) and self.any_key and self.any_key in path[-1:]
            if not scalar and (not isinstance(key, str | int) or isinstance(key, bool)):
                raise self._bad(key_node, "has a key that is neither a text nor a number", "Put the key in quotes")
            if key in data:
                first = self.places[(*path, key)][0]
                raise self._bad(key_node, f"has the key {key!r} twice (first in line {first})", "Keep one of them")
            self.places[(*path, key)] = (key_node.start_mark.line + 1, key_node.start_mark.column + 1)
            data[key] = self.value(value_node, (*path, key))
        return data

    def _scalar(self, node: yaml.ScalarNode) -> Any:
        text, kind = node.value.translate(self.back) if self.back else node.value, node.tag.rpartition(":")[2]
        if not text.isascii() and re.search("[\ud800-\udfff]", text):
            raise self._bad(node, "has half of a surrogate pair", "Write the whole character")
        if kind == "null":
            return None
        if kind == "bool":
            return text.lower() == "true"
        if kind == "int":
            return int(text, 0) if text[:2] in ("0o", "0x") else int(text)
        if kind == "float":
            return float(text.replace(".inf", "inf").replace(".nan", "nan"))
        return text

    def _bad(self, node: yaml.Node, what: str, remedy: str) -> BadInput:
        place = Place(self.shown, node.start_mark.line + 1, node.start_mark.column + 1)
        return BadInput(f"{self.what} {what}", remedy, place)


def write_yaml(data: Any) -> str:
    """Return `data` as YAML text, keys in their own order."""
    return yaml.dump(data, Dumper=_Dumper, sort_keys=False, allow_unicode=True, width=110)
