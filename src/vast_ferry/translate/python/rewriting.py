"""A project's handlers rewritten for another provider: bindings undone, the handlers translated, bindings made there.

Each of the three works on source text of one provider; the edits of all are told as one, from the author's own text.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.hub.functions import Function
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.moves import composed
from vast_ferry.translate.python.binding import bind
from vast_ferry.translate.python.gathered import taking_events
from vast_ferry.translate.python.handlers_given import handlers_given, helpers_given, helpers_made
from vast_ferry.translate.python.in_full import in_full
from vast_ferry.translate.python.layers import layers_apart
from vast_ferry.translate.python.lookups_out import MethodsAsked, has_lookups, lookups_out
from vast_ferry.translate.python.native import rewrite_whole
from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.python.properties_called import properties_called, property_at
from vast_ferry.translate.python.rewritten import Rewritten
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.unbinding import Unbound
from vast_ferry.translate.python.written_out import helpers_behind, written_out
from vast_ferry.translate.reasons import NOTES
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Key

#: So often helpers come to stand twice, as more handlers are found to have to be wrapped.
MOST_COPIES = 4
#: So often properties come to be methods, as one that is called is found to read another.
MOST_PROPERTIES = 4
#: So often all ways are tried at once, as what one of them lets be seen needs another.
MOST_TOGETHER = 2
#: So many decorators before one handler are written out.
MOST_DECORATORS = 4
#: So often handlers that are wrapped get a copy of what takes over for them, each of its own.
MOST_APART = 2


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
    beginning = _Ways(source, target, list(functions), files, module_name, limit, trees or {}, progress)
    result = last = replace(beginning).best()
    apart = frozenset[str]()
    for _ in range(MOST_APART):
        apart |= last.wrapped.keys() & last.taken_over
        if not last.wrapped.keys() & last.taken_over:
            break
        last = replace(beginning, apart=apart).best()
        result = min(result, last, key=_worth)
    bind(target, result, beginning.functions, files)
    return result


@dataclass
class _Ways:
    """The ways in which a project's handlers may be rewritten, of which the best is taken, one after the other."""

    source: Profile
    target: Profile
    functions: list[Function]
    files: Mapping[str, bytes]
    module_name: str
    limit: Callable[[Function], float]
    trees: Mapping[str, Nodes]
    progress: Progress
    awaits: bool = False  # the target's handlers may wait for what is not the provider's
    given: Collection[Function] = ()  # functions whose handlers a statement gives, written as functions
    made: Collection[Function] = ()  # those in which what makes them is written out as well
    shaped: Collection[Key] = ()  # functions of no handler that others make, written as what they are
    full: Collection[str] | None = None  # what stands in short is written in full; in these files, something is made
    asked: MethodsAsked | None = None  # where the calls of small functions are written out: which methods are asked
    called: Sequence[tuple[Collection[Key], MethodsAsked]] = ()  # properties that are written as methods, in turn
    helpers: Collection[Key] = ()  # functions that are no handlers whose decorators are written out
    out: Mapping[str, int] = field(default_factory=dict)  # functions of which so many decorators are written out
    apart: Collection[str] = ()  # functions whose handlers no decorator takes over for where it stands

    @functools.cached_property
    def one_by_one(self) -> Mapping[str, bytes]:
        """Return the files in which what stands around handlers does so one by one."""
        edits = layers_apart(self.files, self.functions)[0]
        return {
            **self.files,
            **{file: PythonText(self.files[file], file).edited(own)[0] for file, own in edits.items()},
        }

    def best(self) -> Rewritten:
        """Return the handlers rewritten in the best of all ways."""
        result = self.with_definitions(self.once())
        if any(finding.code == "wrapped-awaits-others" for finding in result.wrapped.values()):
            result = self.better(result, awaits=True)
        result = self.with_methods(self.in_other_words(result))
        result = self.all_together(result)
        before, result = result, self.without_decorators(result)
        if result is not before:  # what stood behind them is followed now, and seen
            result = self.all_together(self.with_methods(self.in_other_words(result)))
        return self.at_the_first_line(result)

    def once(self, at_first: Collection[str] = ()) -> Rewritten:
        """Return the handlers rewritten; of those in `at_first` the event is made as it was, at their first line."""

        def whole(there: Unbound, wrapped: Mapping[str, Finding], twice: bool) -> Rewritten:
            return rewrite_whole(
                self.source,
                self.target,
                there.functions,
                {**self.files, **there.files},
                module_name=self.module_name,
                limit=self.limit,
                wrapped=wrapped,
                twice=twice,
                whole=at_first,
                awaits=self.awaits,
                apart=self.apart,
                trees={file: tree for file, tree in self.trees.items() if file not in there.files},
                progress=self.progress,
            )

        return _rewritten(self, whole)

    def entries(self, names: Collection[str]) -> dict[Key, str]:
        """Return what some handlers are in their files, each with its name."""
        functions = [one for one in self.functions if one.name in names and not one.bindings]
        return {(one.entry.file, one.entry.name): one.name for one in functions}

    def better(self, result: Rewritten, **way: Any) -> Rewritten:
        """Return what comes of another way, and go on in it, if it is better than what there is."""
        before = {name: getattr(self, name) for name in way}
        vars(self).update(way)
        other = self.once()
        if _worth(other) < _worth(result):
            return other
        vars(self).update(before)
        return result

    def with_definitions(self, result: Rewritten) -> Rewritten:
        """Return what comes of it where handlers that a statement gives are written as functions."""
        given = [one for one in self.functions if _is_not_defined(result.wrapped.get(one.name))]
        if given and handlers_given(self.one_by_one, given)[0]:
            result = self.better(result, given=given)
        given = [one for one in given if one.name in result.wrapped]
        if not given or not handlers_given(self.one_by_one, given, outermost=True)[0]:
            return result
        before = {name: getattr(self, name) for name in ("made", "out")}
        self.made = given
        other = self.once()
        if any(one.code in _HIDDEN for one in other.wrapped.values()):  # they may share what stands behind decorators
            other = self.without_decorators(other)
        if _worth(other) < _worth(result):
            return other
        vars(self).update(before)
        return result

    def in_other_words(self, result: Rewritten) -> Rewritten:
        """Return what comes of it where what stands in short is written in full, and small functions where asked."""
        if (shaped := self.shaped_of(result)) and shaped != self.shaped:
            result = self.better(result, shaped=shaped)
        made_in = _made_in(result)
        if _could_not_follow(result) and (helpers := self.helpers_of(result)) != [*self.helpers]:
            result = self.better(result, helpers=helpers)
        if _could_not_follow(result) and in_full(self.files, made_in)[0]:
            result = self.better(result, full=made_in)
        if _made_in_lookups(result, self.files):
            result = self.better(result, asked=result.methods_asked)
        return result

    def shaped_of(self, result: Rewritten) -> list[Key]:
        """Return the functions that others make where something could not be followed."""
        if not _could_not_follow(result):
            return []
        handlers = {(one.entry.file, one.entry.name) for one in self.functions}
        return [*helpers_made(self.one_by_one, _not_followed_in(result), handlers)]

    def helpers_of(self, result: Rewritten) -> list[Key]:
        """Return the functions whose decorators may be written out, with those of which they are already."""
        handlers = {(one.entry.file, one.entry.name) for one in self.functions}
        found = helpers_behind(self.files, _not_followed_in(result), handlers)
        return sorted({*self.helpers, *found})

    def all_together(self, result: Rewritten) -> Rewritten:
        """Return what comes of several ways at once, where each alone only meets what stands in the way of the next."""
        before = {name: getattr(self, name) for name in ("helpers", "full", "called")}
        other = result
        for _ in range(MOST_TOGETHER):
            helpers, full = self.helpers_of(other), frozenset({*(self.full or ()), *_made_in(other)})
            held = {one.code for one in other.wrapped.values()} & (_HELD | _UNSEEN)
            known = (helpers, full) == ([*self.helpers], self.full)
            if not held or known or not (helpers or in_full(self.files, full)[0]):
                break
            self.helpers, self.full = helpers, full
            other = self.with_methods(self.once())
        if _worth(other) < _worth(result):
            return other
        vars(self).update(before)
        return result

    def with_methods(self, result: Rewritten) -> Rewritten:
        """Return what comes of it where properties that need more at the target are methods; else they stay."""
        before, other, known = self.called, result, set[Key]()
        for _ in range(MOST_PROPERTIES):
            held = {property_at(self.files, one.place) for one in other.wrapped.values() if one.code in _HELD}
            more = {key for key in held - known if key is not None}
            if not more:
                break
            known |= more
            self.called = [*self.called, (sorted(more), other.methods_asked)]
            other = self.once()
        if len(other.wrapped) < len(result.wrapped):
            return other
        self.called = before
        return result

    def without_decorators(self, result: Rewritten) -> Rewritten:
        """Return what comes of it where decorators that hide handlers are written out; none is that helps nobody."""
        hidden = [name for name, finding in result.wrapped.items() if finding.code in _HIDDEN]
        told = written_out(self.one_by_one, self.entries(hidden))[1]
        behind = dict.fromkeys((finding.function for finding in told), 1)
        best: tuple[Rewritten, Mapping[str, int]] = (result, {})
        while behind:
            self.out = behind
            better = self.once()
            if len(better.wrapped) < len(best[0].wrapped):
                best = (better, behind)
            left = {name: depth for name, depth in behind.items() if name in better.wrapped}
            # What their event made as it was avoids is no matter here.
            hiding = {name: depth for name, depth in left.items() if not _is_helped(name, better.wrapped[name], better)}
            if not hiding:
                return better
            # What stands above it may be in the way as well; where nothing helps, all stands as its author wrote it.
            deeper = {
                name: depth + 1
                for name, depth in hiding.items()
                if depth < MOST_DECORATORS and better.wrapped[name].code in _HIDDEN
            }
            behind = {name: depth for name, depth in behind.items() if name not in hiding} | deeper
        result, self.out = best
        return result

    def at_the_first_line(self, result: Rewritten) -> Rewritten:
        """Return what comes of it where handlers have their event made as it was, whose wrapping that avoids."""
        helped = {name: finding for name, finding in result.wrapped.items() if _is_helped(name, finding, result)}
        while helped:
            better = self.once(helped)
            left = helped.keys() & better.wrapped.keys()
            if not left:
                better.findings += map(_at_the_first_line, helped.values())
                return better
            # To no avail for some: these are wrapped for the reason that was found first, and may pull others with
            # them.
            helped = {name: finding for name, finding in helped.items() if name not in left}
        return result


#: Why handlers are wrapped that stand behind decorators which hand them something else than the provider does.
_HIDDEN = frozenset(["wrapped-decorated", "wrapped-takes-less", "wrapped-signature"])

#: Why handlers are wrapped for a function can't be handed what it needs, or wait.
_HELD = frozenset(["wrapped-passed-on"])

#: Why handlers are wrapped for a function that may run without being seen to.
_UNSEEN = frozenset(["wrapped-service-unseen"])

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


def _worth(result: Rewritten) -> tuple[int, int]:
    """Return how many handlers are wrapped, and how often something is made as it was: the less, the better."""
    return len(result.wrapped), _made(result)


def _made(result: Rewritten) -> int:
    """Return how often something is made as it was."""
    return sum(finding.code == "made-as-it-was" for finding in result.findings)


def _made_in(result: Rewritten) -> frozenset[str]:
    """Return the files in which something is made as it was."""
    return frozenset(finding.place.file for finding in result.findings if finding.code == "made-as-it-was")


def _not_followed_in(result: Rewritten) -> frozenset[str]:
    """Return the files in which something is made as it was, or for what stands in which a handler is wrapped."""
    return _made_in(result) | {one.place.file for one in result.wrapped.values() if one.code in _HELPED | _UNSEEN}


def _is_not_defined(finding: Finding | None) -> bool:
    """Tell whether a handler is wrapped for it is not defined by `def`."""
    return finding is not None and finding.code == "wrapped-no-definition"


def _could_not_follow(result: Rewritten) -> bool:
    """Tell whether something is made as it was, or a handler wrapped for what can be mended by another text."""
    codes = {finding.code for finding in result.wrapped.values()}
    return bool(_made(result) or codes & (_HELPED | _UNSEEN))


def _made_in_lookups(result: Rewritten, files: Mapping[str, bytes]) -> bool:
    """Tell whether something is made as it was, or a handler wrapped, in a file with functions that look a name up."""
    made = _made_in(result) | {finding.place.file for finding in result.wrapped.values() if finding.code in _HELPED}
    return bool(made and has_lookups({file: raw for file, raw in files.items() if file in made}))


def _is_helped(name: str, finding: Finding, result: Rewritten) -> bool:
    """Tell whether a handler need not be wrapped if its event is made as it was, at its first line."""
    return finding.code in _HELPED and name in result.alone


def _at_the_first_line(finding: Finding) -> Finding:
    """Return the finding on a handler whose event is made as it was, in place of the one on its wrapping."""
    why = finding.reason.partition(": ")[2]
    reason = f"the whole event is made as it was, at the first line of {finding.function}: {why}"
    return replace(finding, code=finding.code.replace("wrapped-", "made-whole-"), reason=reason)


def _rewritten(ways: _Ways, whole: Callable[[Unbound, Mapping[str, Finding], bool], Rewritten]) -> Rewritten:
    """Return the handlers rewritten, once it is known which are wrapped and which helpers stand twice."""
    source, functions, files = ways.source, ways.functions, ways.files
    wrapped: dict[str, Finding] = {}  # what was found to have to be wrapped, each at the author's own lines
    alone: set[str] = set()  # what is wrapped from the beginning is not asked again whether it shares code
    left = MOST_COPIES
    while True:
        known = len(wrapped)
        there, left_out = taking_events(source, functions, files, wrapped)
        wrapped |= left_out
        told = _prepared(ways, there, wrapped)
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


def _prepared(ways: _Ways, there: Unbound, skip: Collection[str]) -> list[Finding]:
    """Write out what has to be before all is followed, and return what is told of it; handlers in `skip` stay."""
    files, told = ways.files, list[Finding]()

    def edit(made: tuple[dict[str, list[Edit]], list[Finding]]) -> None:
        edits, found = made
        told.extend(_moved(finding, there, files) for finding in found)
        there.edit(edits, files)

    edit(layers_apart({**files, **there.files}, [one for one in ways.functions if one.name not in skip]))
    there.names |= {finding.function for finding in told}
    if ways.made:
        edit(handlers_given({**files, **there.files}, ways.made, outermost=True))
    if ways.given:
        edit(handlers_given({**files, **there.files}, ways.given))
    if ways.shaped:
        edit(helpers_given({**files, **there.files}, ways.shaped))
    for depth in range(max(ways.out.values(), default=0)):
        names = [name for name, most in ways.out.items() if most > depth]
        edit(written_out({**files, **there.files}, ways.entries(names)))
    for _ in range(MOST_DECORATORS if ways.helpers else 0):
        edit(written_out({**files, **there.files}, dict.fromkeys(ways.helpers, "")))
    if ways.full is not None:
        edit(in_full({**files, **there.files}, ways.full))
    if ways.asked is not None:
        edit(lookups_out({**files, **there.files}, ways.asked))
    for wanted, asked in ways.called:  # in the text that was followed then
        edit(properties_called({**files, **there.files}, wanted, asked))
    return told


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
