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
    skip: dict[str, Finding] = {}
    while True:
        there = unbound(source, functions, files, skip)
        result = rewrite_whole(
            source,
            target,
            there.functions,
            {**files, **there.files},
            module_name=module_name,
            limit=limit,
            progress=progress,
            trees={file: tree for file, tree in (trees or {}).items() if file not in there.files},
        )
        # What has to be wrapped is wrapped as its author wrote it.
        failed = there.names & result.wrapped.keys()
        if not failed:
            break
        for name in failed:
            skip[name] = _moved(result.wrapped[name], there, files)
    # Why they are wrapped is what stood in the way, not that bindings name their parameters.
    result.wrapped |= {name: finding for name, finding in skip.items() if name in result.wrapped}
    if there.files:
        _from_the_authors(result, there, files, skip)
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
