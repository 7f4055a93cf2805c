"""What a generated program's helpers may stand in: a file, two, a package that hands them on, a table or a registry.

`stand_apart` moves definitions into files of their own and says how code asks for them from there; what they do is the
same. Several programs may ask the same files in ways of their own. Nothing here knows a provider.
"""

from __future__ import annotations

import random
import re
from collections.abc import Callable, Iterable, Mapping

DEFINED = re.compile(r"^(?:async def|def|class) (\w+)|^(\w+) = ", re.MULTILINE)
#: Where a name stands that is no text's, no attribute's and no keyword's.
NAME = r"(?<!['\"\w.]){}\b(?!['\"])(?!=[^=])"


def defined(text: str) -> list[str]:
    """Return what a file defines at its top, each once."""
    return list(dict.fromkeys(one or other for one, other in DEFINED.findall(text)))


def renamed(code: str, names: Mapping[str, str]) -> str:
    """Return code in which names are asked for otherwise."""
    for name, other in names.items():
        code = re.sub(NAME.format(name), other, code)
    return code


def stand_apart(name: str, head: str, choices: random.Random) -> dict[str, str]:
    """Return the files in which definitions stand: a module, or a package whose name is the same."""
    names = defined(head)
    kind = choices.randrange(4)
    if not kind:
        return {f"{name}.py": head}
    imports = "\n".join(line for line in head.split("\n") if re.match(r"import |from ", line))
    parts = re.split(r"\n(?=@|(?<!\n@noted)(?:async def|def|class) )", head)
    parts = [f"{one}\n{two}" if one.startswith("@") else two for one, two in zip(["", *parts], parts, strict=False)]
    parts = [one for one in parts if not re.fullmatch(r"(@.*\n?)+", one)]
    if kind == 3 and len(parts) > 3:  # what comes last stands in a second module, which asks the first
        cut = choices.randrange(2, len(parts))
        first, second = "\n".join(parts[:cut]), "\n".join(parts[cut:])
        asked = ", ".join(one for one in defined(first) if re.search(NAME.format(one), second)) or "show"
        inner = {"first": first, "second": f"{imports}\nfrom .first import {asked}\n\n{second}"}
    else:
        inner = {"inner": head}
    own = {module: defined(text) for module, text in inner.items()}
    handed = [f"from .{module} import {', '.join(found)}" for module, found in own.items() if found]
    if choices.random() < 0.3:
        handed = [f"from .{module} import *" for module in inner]
    kept = f"KEPT = types.SimpleNamespace({', '.join(f'{one}={one}' for one in names)})"
    table = f"TABLE: dict = {{{', '.join(f'{one!r}: {one}' for one in names)}}}"
    return {
        f"{name}/__init__.py": "\n".join(["import types", *handed, "", kept, table, ""]),
        **{f"{name}/{module}.py": f"{text}\n" for module, text in inner.items()},
    }


def ways_to_ask(
    name: str, files: Iterable[str], names: list[str], choices: random.Random
) -> tuple[str, Callable[[str], str]]:
    """Return an import of what stands apart, and what makes code ask for it that way."""
    asked = ", ".join(names)
    inner = f"{name}.inner" if f"{name}/inner.py" in files else name
    dotted = {one: f"{inner}.{one}" for one in names}
    ways: list[tuple[str, Mapping[str, str]]] = [
        (f"from {name} import {asked}", {}),
        (f"from {inner} import {asked}", {}),
        (f"from {name} import *", {}),
        (f"import {inner}", dotted),
        (f"import {inner} as there", {one: f"there.{one}" for one in names}),
        (f"import {inner} as there\nkept = [there]", {one: f"kept[0].{one}" for one in names}),
        (f"import {inner} as there", {one: f"getattr(there, _{one}_)" for one in names}),
        (f"import importlib\nTHERE = {inner!r}", {n: f"importlib.import_module(THERE).{n}" for n in names}),
        (f"from {name} import {', '.join(f'{one} as {one}_too' for one in names)}", {n: f"{n}_too" for n in names}),
    ]
    if f"{name}/__init__.py" in files:
        ways += [
            (f"from {name} import KEPT", {one: f"KEPT.{one}" for one in names}),
            (f"import {name}", {one: f"{name}.TABLE.get(_{one}_)" for one in names}),
        ]
    line, by = choices.choice(ways)

    def ask(code: str) -> str:
        code = renamed(code, by)
        for one in names:
            quote = "'" if '"' in code and "f'" not in code else '"'  # which stands in a formatted text, maybe
            code = code.replace(f"_{one}_)", f"{quote}{one}{quote})")
        return code

    return line, lambda code: "\n".join(ask(one) for one in code.split("\n"))
