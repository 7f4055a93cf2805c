"""The helpers' twins in JavaScript, as text: what generated modules call, each in the fewest functions that it needs.

Their files stand in `helpers/`. Each holds whole top-level declarations that begin with `export`; what stands before
one, up to an empty line, is its comment. Nothing there needs more than Node's own modules.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Final

_FOLDER: Final = Path(__file__).parent / "helpers"
_DECLARED: Final = re.compile(r"^export (?:async )?(?:function\*?|const|class) (\w+)", re.MULTILINE)
_IMPORT: Final = re.compile(r'^import (?:\{ ([\w, ]+) \}|\* as (\w+)|(\w+)) from "(node:[\w/]+)";$', re.MULTILINE)
#: A name that is no property; behind `...` one is spread.
_WORD: Final = re.compile(r"(?<![\w$])(?:(?<!\.)|(?<=\.\.\.))[A-Za-z_$][\w$]*")
_QUOTED: Final = re.compile(r'"(?:[^"\\\n]|\\.)*"|//[^\n]*|/\*.*?\*/', re.DOTALL)


@dataclass(frozen=True, slots=True)
class Twin:
    """One declaration: its text without `export`, its place in the order of all, and the names it uses."""

    text: str
    order: int
    uses: frozenset[str]


def _names(source: str) -> frozenset[str]:
    return frozenset(_WORD.findall(_QUOTED.sub(" ", source)))


@functools.cache
def _library() -> tuple[dict[str, Twin], dict[str, str]]:
    """Return the declarations by their names, and which module each imported name comes from."""
    twins: dict[str, Twin] = {}
    imports: dict[str, str] = {}
    for path in sorted(_FOLDER.glob("*.mjs")):
        source = path.read_text(encoding="utf-8")
        for names, whole, default, module in _IMPORT.findall(source):
            for name in names.split(", ") if names else ():
                imports[name] = f'import {{ {name} }} from "{module}";'
            if whole or default:
                imports[whole or default] = f'import {f"* as {whole}" if whole else default} from "{module}";'
        for block in re.split(r"\n\n(?=/\*\*|export )", source):
            found = _DECLARED.search(block)
            if found:
                text = block[: found.start()] + block[found.start() :].removeprefix("export ")
                twins[found[1]] = Twin(text.strip(), len(twins), _names(text) - {found[1]})
    return twins, imports


def has(name: str) -> bool:
    """Tell whether there is a twin of that name."""
    return name in _library()[0]


def names() -> frozenset[str]:
    """Return the names of all twins."""
    return frozenset(_library()[0])


def module_text(about: str, used: Iterable[str], code: Iterable[str], imports: Iterable[str] = ()) -> str:
    """Return an ES module: what it is, its imports, the twins that its `code` and they themselves use, and the code.

    Among what is `used` are names of twins, and imports of what is no twin.
    """
    used, code = list(used), list(code)
    imports = list(dict.fromkeys([*imports, *sorted(one for one in used if one.startswith("import "))]))
    # What is imported stands in one module for all.
    imported = frozenset[str]().union(*(_names(line) for line in imports))
    every, known = _library()
    twins = {name: one for name, one in every.items() if name not in imported}
    waiting = {name for name in used if name in twins}
    waiting |= {name for text in code for name in _names(text) if name in twins}
    chosen: set[str] = set()
    while waiting:
        name = waiting.pop()
        chosen.add(name)
        waiting |= {one for one in twins[name].uses if one in twins and one not in chosen}
    texts = [twins[name].text for name in sorted(chosen, key=lambda name: twins[name].order)]
    asked = frozenset[str]().union(*map(_names, [*texts, *code]))
    lines = sorted({known[name] for name in asked if name in known}) + imports
    head = "\n".join(f" * {line}".rstrip() for line in about.replace("*/", "* /").strip().splitlines())
    parts = [f"/**\n{head}\n */", "\n".join(lines), *texts, *code]
    return "\n\n".join(part for part in parts if part) + "\n"
