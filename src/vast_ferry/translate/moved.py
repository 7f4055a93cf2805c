"""Files of handlers whose paths are no names of modules (`ways/hives/[hive].py`): where they stand once carried.

A provider that looks for files finds them; one that imports handlers can't name them. Nobody else imports such a file
by a statement, so it can stand under another name, unless some text of the project names it.
"""

from __future__ import annotations

import keyword
import re
from collections.abc import Collection, Iterable, Mapping
from pathlib import PurePosixPath
from typing import Final

from vast_ferry.definitions.by_path import Lying
from vast_ferry.hub.functions import Function
from vast_ferry.profiles.profile import Profile

#: Where files stand that can't stay where they are.
ASIDE: Final = "carried"


def moved_files(
    files: Mapping[str, bytes], functions: Iterable[Function], in_the_way: Collection[str] = ()
) -> dict[str, str]:
    """Return the files of handlers in Python that can't be imported → their paths where they can be.

    What is `in_the_way`, because the target would look for something else there, is put aside where nobody imports it.
    """
    made: dict[str, str] = {}
    for file in in_the_way:
        others = b"\n".join(content for path, content in files.items() if path != file and path.endswith(".py"))
        name = re.escape(PurePosixPath(file).stem.encode())
        if not re.search(rb"\b(?:import|from)\b[^\n]*\b" + name + rb"\b", others) and b"from ." not in files[file]:
            made[file] = _free(f"{ASIDE}/{file}", {*files, *made.values()})
    strange = dict.fromkeys(one.entry.file for one in functions if one.entry.file.endswith(".py"))
    for file in strange:
        if (
            file not in files
            or file in made
            or all(_is_name(part) for part in PurePosixPath(file.removesuffix(".py")).parts)
        ):
            continue
        whole = file.removesuffix(".py")
        named = [text.encode("utf-8", "surrogatepass") for text in (whole, whole.replace("/", "."))]
        if any(name in content for content in files.values() for name in named):
            continue
        made[file] = _free(file, {*files, *made.values()})
    return made


def in_the_way(files: Mapping[str, bytes], target: Profile, ours: Collection[tuple[str, str]]) -> list[str]:
    """Return the files in which a target that tells functions by their files would find what is not for it.

    `ours` are handlers, by file and name, that are.
    """
    model = target.model.definition
    every = [Lying(one) for one in model.functions.by_path] if model else []
    found = []
    for path, content in files.items() if every else ():
        lying = next((one for one in every if path.endswith(".py") and one.read(path) is not None), None)
        names = [name for name in lying.model.handlers if (path, name) not in ours] if lying else []
        named = "|".join(map(re.escape, names))
        defined = rf"^(?:async +def|def|class) +(?:{named})\b|^(?:{named}) *="
        if names and re.search(defined.encode(), content, re.MULTILINE):
            found.append(path)
    return found


def _is_name(part: str) -> bool:
    return part.isidentifier() and not keyword.iskeyword(part)


def _free(file: str, taken: Collection[str]) -> str:
    """Return a path like one whose parts are names, and that nothing else has."""
    parts = [re.sub(r"\W+", "_", part).strip("_") or "_" for part in PurePosixPath(file.removesuffix(".py")).parts]
    parts = [part if _is_name(part) else f"_{part}" for part in parts]
    path, number = "/".join(parts), 1
    while f"{path}.py" in taken:
        number += 1
        path = f"{'/'.join(parts)}_{number}"
    return f"{path}.py"
