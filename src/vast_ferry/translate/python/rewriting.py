"""A project's handlers rewritten for another provider: bindings undone, the handlers translated, bindings made there.

Each of the three works on source text of one provider; the edits of all are told as one, from the author's own text.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import replace

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.hub.functions import Function
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.moves import composed
from vast_ferry.translate.python.binding import bind
from vast_ferry.translate.python.native import rewrite_whole
from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.python.rewritten import Rewritten
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.unbinding import Unbound, unbound
from vast_ferry.translate.reasons import NOTES

#: So often helpers come to stand twice, as more handlers are found to have to be wrapped.
MOST_COPIES = 4


def rewrite(
    source: Profile,
    target: Profile,
    functions: Iterable[Function],
    files: Mapping[str, bytes],
    *,
    module_name: str,
    limit: Callable[[Function], float],
    trees: Mapping[str, Nodes] | None = None,
    progress: Progress = quietly,
) -> Rewritten:
    """Return a project's handlers rewritten in the target's own idiom, as far as they can be followed.

    Nothing is run. A function that can't be rewritten is in `wrapped`, with a finding that says why and where. `trees`
    are those of the files that were read already.
    """
    functions = list(functions)

    def whole(there: Unbound, wrapped: Mapping[str, Finding], *, twice: bool) -> Rewritten:
        known = {file: tree for file, tree in (trees or {}).items() if file not in there.files}
        return rewrite_whole(
            source,
            target,
            there.functions,
            {**files, **there.files},
            module_name=module_name,
            limit=limit,
            wrapped=wrapped,
            twice=twice,
            trees=known,
            progress=progress,
        )

    wrapped: dict[str, Finding] = {}  # what was found to have to be wrapped, each at the author's own lines
    left = MOST_COPIES
    while True:
        there = unbound(source, functions, files, wrapped)
        result = whole(there, wrapped, twice=left > 0)
        told: list[Finding] = []
        if result.copies is not None:
            wrapped |= {name: _moved(finding, there, files) for name, finding in result.wrapped.items()}
            told = [_moved(finding, there, files) for finding in result.copies.findings]
            there.edit(result.copies.edits, files)
            result = whole(there, wrapped, twice=False)
        # What has to be wrapped is wrapped as its author wrote it; so which it is has to be known from the beginning.
        more = {
            name: _moved(finding, there, files)
            for name, finding in result.wrapped.items()
            if name not in wrapped and (name in there.names or (told and finding.code != "wrapped-shares"))
        }
        wrapped |= more
        if not more and (result.entries or not told):
            break
        left = left - 1 if more else 0  # where nothing came of copies, all stays as its author wrote it
    if there.files:
        _from_the_authors(result, there, files, wrapped)
    result.findings += told
    bind(target, result, functions, files)
    return result


def _from_the_authors(result: Rewritten, there: Unbound, files: Mapping[str, bytes], skip: Collection[str]) -> None:
    """Tell edits and findings in places of the author's own text."""
    texts = _texts(there, files)
    edits = [edit for edit in result.edits if edit.file not in texts]
    for file, (before, between) in texts.items():
        first = there.edits[file]
        second = [edit for edit in result.edits if edit.file == file]
        after = PythonText(result.files.get(file, there.files[file]), file)
        edits += composed(first, second, before, between, after)
        result.files.setdefault(file, there.files[file])
    result.edits = edits
    result.wrapped = {
        name: finding if name in skip else _moved(finding, there, files) for name, finding in result.wrapped.items()
    }
    result.findings = [_moved(finding, there, files) for finding in result.findings]
    severity, reason, remedy = NOTES["charset-assumed"]  # which names no provider
    for name, (file, line) in there.as_text.items():
        result.findings.append(Finding("charset-assumed", severity, reason, remedy, Place(file, line), name))


def _texts(there: Unbound, files: Mapping[str, bytes]) -> dict[str, tuple[PythonText, PythonText]]:
    return {file: (PythonText(files[file], file), PythonText(there.files[file], file)) for file in there.files}


def _moved(finding: Finding, there: Unbound, files: Mapping[str, bytes]) -> Finding:
    """Return a finding at the line of the author's own text."""
    file = finding.place.file
    if file not in there.files:
        return finding
    line = there.line(file, finding.place.line, files)
    return replace(finding, place=Place(file, line, finding.place.column if line == finding.place.line else 0))
