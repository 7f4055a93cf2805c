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
from vast_ferry.translate.python.lookups_out import MethodsAsked, has_lookups, lookups_out
from vast_ferry.translate.python.native import rewrite_whole
from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.python.rewritten import Rewritten
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.unbinding import Unbound, unbound
from vast_ferry.translate.python.written_out import written_out
from vast_ferry.translate.reasons import NOTES

#: So often helpers come to stand twice, as more handlers are found to have to be wrapped.
MOST_COPIES = 4
#: So many decorators before one handler are written out.
MOST_DECORATORS = 4


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

    out: Mapping[str, int] = {}  # functions of which so many decorators are written out
    asked: MethodsAsked | None = None  # where the calls of small functions are written out: which methods are asked

    def once(at_first: Collection[str], awaits: bool) -> Rewritten:
        return _rewritten(
            source,
            functions,
            files,
            lambda there, wrapped, twice: whole(there, wrapped, twice, at_first, awaits),
            out,
            asked=asked,
        )

    def whole(
        there: Unbound, wrapped: Mapping[str, Finding], twice: bool, at_first: Collection[str], awaits: bool
    ) -> Rewritten:
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
            whole=at_first,
            awaits=awaits,
            trees=known,
            progress=progress,
        )

    result, awaits = once((), False), False
    if any(finding.code == "wrapped-awaits-others" for finding in result.wrapped.values()):
        better = once((), True)
        if len(better.wrapped) < len(result.wrapped):
            result, awaits = better, True
    if _made_in_lookups(result, files):
        asked = result.methods_asked
        better = once((), awaits)
        fewer = (len(better.wrapped), _made(better)) < (len(result.wrapped), _made(result))
        result, asked = (better, asked) if fewer else (result, None)
    hidden = [name for name, finding in result.wrapped.items() if finding.code == "wrapped-decorated"]
    behind = dict.fromkeys((finding.function for finding in written_out(files, functions, hidden)[1]), 1)
    while behind:
        out = behind
        better = once((), awaits)
        hiding = {name: depth for name, depth in behind.items() if name in better.wrapped}
        if not hiding:
            result = better
            break
        # What stands above it may be in the way as well; where nothing helps, all stands as its author wrote it.
        deeper = {
            name: depth + 1
            for name, depth in hiding.items()
            if depth < MOST_DECORATORS and better.wrapped[name].code == "wrapped-decorated"
        }
        behind = {name: depth for name, depth in behind.items() if name not in hiding} | deeper
    out = behind
    helped = {name: finding for name, finding in result.wrapped.items() if _is_helped(name, finding, result)}
    while helped:
        better = once(helped, awaits)
        left = helped.keys() & better.wrapped.keys()
        if not left:
            better.findings += map(_at_the_first_line, helped.values())
            result = better
            break
        # To no avail for some: these are wrapped for the reason that was found first, and may pull others with them.
        helped = {name: finding for name, finding in helped.items() if name not in left}
    bind(target, result, functions, files)
    return result


#: Why handlers are wrapped that are rewritten nevertheless once their event is made as it was, at their first line.
_HELPED = frozenset(
    f"wrapped-{code}"
    for code in (
        "event-changed",
        "rebound",
        "identity",
        "equality",
        "batch-escapes",
        "at-definition",
        "class-inside",
        "never-there",
    )
    + ("hidden-names", "arguments-hidden", "too-entangled", "content-as-stream", "content-read-twice")
    + ("awaits-inside", "passed-on", "made-at-each-read", "object-made-twice")
)


def _made(result: Rewritten) -> int:
    """Return how often something is made as it was."""
    return sum(finding.code == "made-as-it-was" for finding in result.findings)


def _made_in_lookups(result: Rewritten, files: Mapping[str, bytes]) -> bool:
    """Tell whether something is made as it was, or a handler wrapped, in a file with functions that look a name up."""
    made = {finding.place.file for finding in result.findings if finding.code == "made-as-it-was"}
    made |= {finding.place.file for finding in result.wrapped.values() if finding.code in _HELPED}
    return bool(made and has_lookups({file: raw for file, raw in files.items() if file in made}))


def _is_helped(name: str, finding: Finding, result: Rewritten) -> bool:
    """Tell whether a handler need not be wrapped if its event is made as it was, at its first line."""
    return finding.code in _HELPED and name in result.alone


def _at_the_first_line(finding: Finding) -> Finding:
    """Return the finding on a handler whose event is made as it was, in place of the one on its wrapping."""
    why = finding.reason.partition(": ")[2]
    reason = f"the whole event is made as it was, at the first line of {finding.function}: {why}"
    return replace(finding, code=finding.code.replace("wrapped-", "made-whole-"), reason=reason)


def _rewritten(
    source: Profile,
    functions: list[Function],
    files: Mapping[str, bytes],
    whole: Callable[[Unbound, Mapping[str, Finding], bool], Rewritten],
    out: Mapping[str, int] | None = None,
    *,
    asked: MethodsAsked | None = None,
) -> Rewritten:
    """Return the handlers rewritten, once it is known which are wrapped and which helpers stand twice.

    So many decorators of the functions in `out` are written out first, and with `asked` the calls of small functions.
    """
    wrapped: dict[str, Finding] = {}  # what was found to have to be wrapped, each at the author's own lines
    alone: set[str] = set()  # what is wrapped from the beginning is not asked again whether it shares code
    left = MOST_COPIES
    while True:
        known = len(wrapped)
        there = unbound(source, functions, files, wrapped)
        told: list[Finding] = []
        for depth in range(max((out or {}).values(), default=0)):
            names = [name for name, most in (out or {}).items() if most > depth]
            edits, found = written_out({**files, **there.files}, functions, names)
            told += [_moved(finding, there, files) for finding in found]
            there.edit(edits, files)
        if asked is not None:
            edits, more_told = lookups_out({**files, **there.files}, asked)
            told += [_moved(finding, there, files) for finding in more_told]
            there.edit(edits, files)
        result = whole(there, wrapped, left > 0)
        alone |= result.alone
        copied = result.copies is not None
        if result.copies is not None:
            wrapped |= {name: _moved(finding, there, files) for name, finding in result.wrapped.items()}
            told += [_moved(finding, there, files) for finding in result.copies.findings]
            there.edit(result.copies.edits, files)
            result = whole(there, wrapped, False)
        # What has to be wrapped is wrapped as its author wrote it; so which it is has to be known from the beginning.
        more = {
            name: _moved(finding, there, files)
            for name, finding in result.wrapped.items()
            if name not in wrapped and (name in there.names or (copied and finding.code != "wrapped-shares"))
        }
        # Which helpers are shared is known once those that are wrapped are not followed any more.
        again = copied and len(wrapped) > known and left > 1 and _some_share(result, wrapped)
        wrapped |= more
        if not more and not again and (result.entries or not copied):
            break
        left = left - 1 if more or again else 0  # where nothing came of copies, all stays as its author wrote it
    if there.files:
        _from_the_authors(result, there, files, wrapped)
    result.findings += told
    result.alone |= alone
    return result


def _some_share(result: Rewritten, known: Mapping[str, Finding]) -> bool:
    """Tell whether handlers are wrapped only for they share code with others that are."""
    return any(finding.code == "wrapped-shares" and name not in known for name, finding in result.wrapped.items())


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
