"""Answers that a handler gives through a function: what that tells, with what it is handed filled in.

    const fail = (reply, status, text) => reply.status(status).head("content-type", "text/plain").send(text);
    ...
    fail(reply, 400, error.message);

The call tells an answer at once, as the chain of calls itself would where it stands; or a part of one, where none of
its chains ends an answer (`const fresh = (reply) => { reply.head("cache-control", "no-store"); }`). That is only seen
where the function does nothing else, and where it makes no difference when what it is handed is evaluated: of what may
do something there is one thing at most, and it is used once.

The function may be another file's, where all that it names means the same in the handler's: what it is handed, what is
global in both, and texts and numbers that have a name there, which stand in its place.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, walk
from vast_ferry.translate.javascript.handlers import FunctionOf, Standing
from vast_ferry.translate.javascript.looking import only_looks
from vast_ferry.translate.javascript.scopes import FUNCTIONS, NAMES
from vast_ferry.translate.javascript.values import bare, calls_of, never_fails, only_value

_NOT_MOVED = FUNCTIONS | frozenset(("await_expression", "yield_expression", "this", "super", "spread_element"))
#: What is certainly not undefined.
_SOMETHING = frozenset(("string", "number", "template_string", "object", "array", "true", "false", "null"))


@dataclass(frozen=True, slots=True)
class Inlined:
    """The calls that one call of a function stands for, the function, and what stands for its parameters.

    `ended` tells whether they end an answer. `filled` has, by each expression that holds names, where they stand in it
    and what stands for each; `foreign` has the expressions that are those of another file, with that.
    """

    call: Node
    function: Node
    ended: bool
    calls: list[tuple[str, list[Node]]] = field(default_factory=list)
    filled: dict[int, list[tuple[Node, Node]]] = field(default_factory=dict)
    foreign: dict[int, JavaScriptFile] = field(default_factory=dict)


def inlined(use: Node, at: Standing, function_of: FunctionOf, ends: set[str]) -> Inlined | None:
    """Return what a call tells of an answer that is handed a name, the use; nothing where it is anything else.

    `at` is the handler in which it stands.
    """
    call = use.parent.parent if use.parent.type == "arguments" else None
    called = call.child_by_field_name("function") if call is not None and call.type == "call_expression" else None
    found = function_of(at.file, at.scopes, called) if called is not None and called.type == "identifier" else None
    if found is None or any(child.type in ("async", "*") for child in found.node.children):
        return None
    if found.file.path != at.file.path and (found.file.blanked or at.file.blanked):
        return None
    helper = _Helper(found, at, ends)
    given = [one for one in use.parent.named_children if one.type != "comment"]
    return helper.called(call, given, given.index(use)) if helper.parameters is not None else None


class _Helper:
    """A function that a handler hands what it answers through."""

    def __init__(self, found: Standing, at: Standing, ends: set[str]) -> None:
        self.node, self.at, self.ends = found.node, at, ends
        self.file, self.scopes = found.file, found.scopes
        self.foreign = found.file.path != at.file.path
        self.usual: dict[str, Node] = {}
        self.ended = False
        self.parameters = self._names()

    def _names(self) -> list[Node] | None:
        """Return its parameters, where each is a plain name."""
        single = self.node.child_by_field_name("parameter")
        listed = [single] if single is not None else self.node.child_by_field_name("parameters").named_children
        found = []
        for one in listed:
            if one.type == "comment":
                continue
            pattern, usual = one.child_by_field_name("pattern") or one, one.child_by_field_name("value")
            if pattern.type == "assignment_pattern":
                pattern, usual = pattern.child_by_field_name("left"), pattern.child_by_field_name("right")
            if pattern.type != "identifier":
                return None
            if usual is not None:
                if any(inner.type in NAMES for inner in walk(usual)):
                    return None
                self.usual[self.file.text(pattern)] = usual
            found.append(pattern)
        return found

    def called(self, call: Node, given: list[Node], writer: int) -> Inlined | None:
        """Return what a call tells, that hands over what is answered through as so many-th argument."""
        assert self.parameters is not None
        if len(given) > len(self.parameters) or any(one.type in _NOT_MOVED for one in given):
            return None
        chains = self._chains(self.parameters[writer])
        names = [self.file.text(one) for one in self.parameters]
        # What is undefined has the usual value in its place, and that is only known of what is certainly something.
        if any(name in self.usual and one.type not in _SOMETHING for name, one in zip(names, given, strict=False)):
            return None
        values = {name: self.usual.get(name) for name in names} | dict(zip(names, given, strict=False))
        if chains is None or not self._may_be_moved(given, chains):
            return None
        made = Inlined(call, self.node, self.ended)
        for chain in chains:
            for name, arguments in calls_of(chain, self.file):
                told = [self._filled(one, values, made) for one in arguments]
                if any(one is None for one in told):
                    return None
                made.calls.append((name, [one for one in told if one is not None]))
        return made

    def _chains(self, writer: Node) -> list[Node] | None:
        """Return the chains of calls on the writer that are all it does; nothing where it does more."""
        body = self.node.child_by_field_name("body")
        values = [body]
        if body.type == "statement_block":
            statements = [one for one in body.named_children if one.type != "comment"]
            if any(one.type not in ("expression_statement", "return_statement") for one in statements):
                return None
            values = [inside for one in statements for inside in one.named_children if inside.type != "comment"]
            if len(values) != len(statements):
                return None
        binding = self.scopes.of(writer)
        uses = binding.uses if binding is not None and not binding.writes else []
        found = {one[0].id: one[1] for use in uses if (one := self._chain(use)) is not None}
        known = [bare(one) for one in values]
        ended = [found.get(one.id) for one in known]
        self.ended = bool(ended) and ended[-1] is True
        last_alone = bool(ended) and ended[-1] is not None and not any(one is not False for one in ended[:-1])
        return known if last_alone and len(uses) == len(known) else None

    def _chain(self, use: Node) -> tuple[Node, bool] | None:
        """Return the chain of calls on a name, and whether it ends an answer; nothing where that is not all it does."""
        node, name = use, ""
        while node.parent.type == "member_expression" and node.parent.child_by_field_name("object") == node:
            asked = node.parent
            if name in self.ends or asked.parent.type != "call_expression":
                return None
            name, node = self.file.text(asked.child_by_field_name("property")), asked.parent
            if node.child_by_field_name("function") != asked:
                return None
        return (node, name in self.ends) if node != use else None

    def _may_be_moved(self, given: list[Node], chains: list[Node]) -> bool:
        """Tell whether it is no matter when, and how often, what is handed over is evaluated."""
        assert self.parameters is not None
        doing = 0
        for parameter, value in zip(self.parameters, given, strict=False):
            binding = self.scopes.of(parameter)
            if binding is None or binding.writes:
                return False
            if never_fails(value):
                continue
            doing += not only_looks(self.file, value)
            if len(binding.uses) != 1:
                return False
        names = {self.file.text(one) for chain in chains for one in walk(chain) if one.type in NAMES}
        return doing <= 1 and (self.foreign or not (names & set(self._local_names())))

    def _local_names(self) -> Iterator[str]:
        """Yield the names that mean something of its own in the handler, or around it."""
        for one in self.file.of_types(self.at.node, NAMES):
            binding = self.scopes.of(one)
            if binding is not None and binding.scope.type != "program" and binding.name not in self._own_names():
                yield binding.name

    def _own_names(self) -> set[str]:
        assert self.parameters is not None
        return {self.file.text(one) for one in self.parameters}

    def _filled(self, node: Node, values: dict[str, Node | None], made: Inlined) -> Node | None:
        """Return what stands for an argument of its chains: what is handed over, or the expression itself."""
        names = [one for one in walk(node) if one.type in NAMES]
        inside = [one for one in names if self._is_own(one)]
        if node in inside:
            value = values.get(self.file.text(node))
            if self.foreign and value is not None and value == self.usual.get(self.file.text(node)):
                made.foreign[value.id] = self.file
            return value
        if any(one.type in _NOT_MOVED for one in walk(node)):
            return None
        for one in inside:
            value = values.get(self.file.text(one))
            if value is None:
                return None
            made.filled.setdefault(node.id, []).append((one, value))
        return self._foreign(node, [one for one in names if one not in inside], made) if self.foreign else node

    def _foreign(self, node: Node, names: list[Node], made: Inlined) -> Node | None:
        """Return the same of an expression of another file, of which some names are not its parameters'."""
        made.foreign.update((one.id, self.file) for one in walk(node))
        for one in names:
            if self.scopes.of(one) is None and not self.at.scopes.binds(self.file.text(one)):
                continue
            value = only_value(self.scopes, one)
            if value is None or value.type not in ("string", "number"):
                return None
            made.foreign[value.id] = self.file
            if one == node:
                return value
            made.filled.setdefault(node.id, []).append((one, value))
        return node

    def _is_own(self, name: Node) -> bool:
        binding = self.scopes.of(name)
        return binding is not None and binding.kind == "parameter" and binding.scope == self.node
