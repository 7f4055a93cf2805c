"""Edits of a file's bytes: other texts for spans, put in together; and where an import stands."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from vast_ferry.documents.javascript_file import JavaScriptFile, Node
from vast_ferry.hub.findings import FerryError


@dataclass(frozen=True, slots=True)
class Edit:
    """Another text for a span of bytes; an empty span is a place where a text is put in."""

    start: int
    end: int
    text: str


class Overlapping(FerryError):
    """Two edits that change the same bytes."""


def applied(content: bytes, edits: Iterable[Edit]) -> bytes:
    """Return a file with edits; those of one place in the order in which they were made. Raises Overlapping."""
    parts: list[bytes] = []
    at = 0
    for edit in sorted(edits, key=lambda one: (one.start, one.end > one.start)):
        if edit.start < at:
            raise Overlapping(f"two changes meet at byte {edit.start}")
        parts += [content[at : edit.start], edit.text.encode("utf-8")]
        at = edit.end
    return b"".join([*parts, content[at:]])


def goes_on(file: JavaScriptFile, statements: list[Node]) -> bool:
    """Tell whether the first of some statements would go on with a line before it that no semicolon ends."""
    first = next((file.text(one) for one in statements if one.type != "comment"), "")
    return first.startswith(("(", "[", "`", "+", "-", "/"))


def gone(file: JavaScriptFile, statement: Node) -> Edit:
    """Return the edit that takes a statement out, with its line where nothing else stands in that."""
    content, start, end = file.content, statement.start_byte, statement.end_byte
    line, after = content.rfind(b"\n", 0, start) + 1, content.find(b"\n", end)
    after = len(content) if after < 0 else after
    alone = not content[line:start].strip() and not content[end:after].strip(b"; \t\r")
    return Edit(line, min(after + 1, len(content)), "") if alone else Edit(start, end, "")


def import_of(file: JavaScriptFile, names: list[str], module: str) -> Edit:
    """Return the edit that imports names of a module, as the file imports others: behind those, in its quotes."""
    links = [link.text for link in file.links]
    quote = file.text(links[0])[0] if links else '"'
    semicolon = (
        "" if links and file.content[links[-1].end_byte : links[-1].end_byte + 2].lstrip(b")")[:1] != b";" else ";"
    )
    listed = f"{{ {', '.join(names)} }}"
    if file.esm or file.path.endswith((".mjs", ".mts")):
        line = f"import {listed} from {quote}{module}{quote}{semicolon}"
    else:
        line = f"const {listed} = require({quote}{module}{quote}){semicolon}"
    statements = [one for one in file.root.named_children if one.type != "hash_bang_line"]
    before = None
    for one in statements:
        text = file.text(one)
        if (
            one.type == "import_statement"
            or (one.type in ("lexical_declaration", "variable_declaration") and "require(" in text)
            or (
                one.type == "expression_statement"
                and text.strip("; ") in ("'use strict'", '"use strict"')
                and before is None
            )
        ):
            before = one
    later = [one for one in statements if before is None or one.start_byte > before.start_byte]
    line = f"{line};" if goes_on(file, later) and not semicolon else line
    if before is not None:
        return Edit(before.end_byte, before.end_byte, f"\n{line}")
    start = statements[0].start_byte if statements else len(file.content)
    return Edit(start, start, f"{line}\n\n")
