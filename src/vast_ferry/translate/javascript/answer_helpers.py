"""Functions by which a handler answers through an object that it is handed: they give the answer instead.

    const problem = (reply, status, title, more = {}) =>
      reply.status(status).head("content-type", "application/problem+json").send(JSON.stringify({ title, ...more }));
    ...
    if (!note.by) return problem(reply, 422, "by whom?");

becomes

    const problem = (status, title, more = {}) =>
      ({ code: status, fields: { "content-type": … }, content: JSON.stringify({ title, ...more }) });
    ...
    if (!note.by) return problem(422, "by whom?");

Only where each of its ends tells one answer, and its call ends the handler. Whoever else calls it, a handler that stays
as it is for one, keeps it as it was: what is rewritten stands beside it (`shared.py`). Where a part of the answer is
told before the call, or this can't be done, the answer may be told in place of the call (`inlined.py`).
"""

from __future__ import annotations

from vast_ferry.documents.javascript_file import Node, is_typescript
from vast_ferry.hub.functions import Function
from vast_ferry.mapping.tables import Kind
from vast_ferry.translate.javascript.answering import Answering, Called, Project
from vast_ferry.translate.javascript.around import (
    Layer,
    Maker,
    Way,
    answers_of,
    choices_of,
    declared_at_top,
    waited_for,
)
from vast_ferry.translate.javascript.called import entries_of
from vast_ferry.translate.javascript.contents import Contents
from vast_ferry.translate.javascript.edits import Edit
from vast_ferry.translate.javascript.half_told import Told
from vast_ferry.translate.javascript.handlers import FunctionOf, Standing
from vast_ferry.translate.javascript.looking import asks_for_names, only_asked, parameters_of
from vast_ferry.translate.javascript.methods import methods_of, methods_of_this
from vast_ferry.translate.javascript.registered import (
    asked_map,
    instance_of,
    only_tested,
    plain_functions,
    registered,
)
from vast_ferry.translate.javascript.scopes import within
from vast_ferry.translate.javascript.signature import Handler
from vast_ferry.translate.javascript.values import only_value


def layers_of(called: Called, number: int, function_of: FunctionOf) -> list[Layer]:
    """Return such a function as a layer, of which one parameter is the provider's, the one with the `number` there.

    There are several where one of a table's is called. Nothing comes back where it can't be one.
    """
    found = _found(called, function_of)
    if found is None:
        return []
    maker, functions = found
    waited = waited_for(called.call) != called.call or called.call in answers_of(called.by.node)
    called_in = Standing(called.by.file, called.by.scopes, called.by.node)
    layers = []
    for one in functions:
        parameters = parameters_of(one.node)
        waits = any(child.type == "async" for child in one.node.children)
        generates = any(child.type == "*" for child in one.node.children)  # and answers when it is gone through
        if called.writer >= len(parameters) or generates or (waits and not waited):
            return []  # what it fails with would be nobody's
        given = tuple(number if at == called.writer else None for at in range(len(parameters)))
        layers.append(Layer(one, given, maker=maker, called_in=called_in))
    return layers


def _found(called: Called, function_of: FunctionOf) -> tuple[Maker, list[Standing]] | None:
    """Return the function of a file's top that is called, or all that stand in a table of which one is."""
    by, named = called.by, called.call.child_by_field_name("function")
    found = function_of(by.file, by.scopes, named) if named.type in ("identifier", "member_expression") else None
    if found is not None:
        typed = is_typescript(found.file) and found.node.parent.type == "variable_declarator"
        says_what_it_takes = typed and found.node.parent.child_by_field_name("type") is not None
        if found.node == by.node or declared_at_top(found.node) is None or says_what_it_takes:
            return None
        return Maker(found, found, named, ()), [found]
    if (method := _method(by, named, function_of)) is not None:
        return Maker(method, method, named, ()), [method]
    entry: Node | None = named
    if named.type == "identifier":  # const action = actions[request.verb]
        entry = only_value(by.scopes, named)
    entry = _one_of(by, entry) if entry is not None else None
    if entry is None or entry.type not in ("member_expression", "subscript_expression", "call_expression"):
        return None
    holder = asked_map(by.file, entry) if entry.type == "call_expression" else entry.child_by_field_name("object")
    if holder is None:
        return None
    if (put := _put_in(by, holder, function_of)) is not None:
        return put
    table = only_value(by.scopes, holder) if holder.type == "identifier" else None
    if table is None or table.type != "object" or not only_asked(by.scopes, holder) or declared_at_top(table) is None:
        return None
    functions = entries_of(Standing(by.file, by.scopes, table), None, plain_functions(function_of))
    if not functions or any(one.file != by.file or not within(one.node, table) for one in functions):
        return None
    binding = by.scopes.of(holder)
    assert binding is not None
    beside = tuple(use for use in binding.uses if within(use, by.node) and use != holder)
    owner = Standing(by.file, by.scopes, table)
    return Maker(owner, owner, holder, (), beside), functions


def _one_of(by: Answering, entry: Node) -> Node | None:
    """Return the first of what a choice gives, where all of it stands in the same table; else the value itself."""
    every = choices_of(entry)
    if len(every) == 1:
        return every[0]
    holders = [one.child_by_field_name("object") for one in every]
    bound = [by.scopes.of(one) if one is not None and one.type == "identifier" else None for one in holders]
    return every[0] if bound[0] is not None and all(one is bound[0] for one in bound) else None


def _method(by: Answering, named: Node, function_of: FunctionOf) -> Standing | None:
    """Return the method that is called on an object of the project's, where it is seen which one that is."""
    if named.type != "member_expression":
        return None
    holder, name = named.child_by_field_name("object"), by.file.text(named.child_by_field_name("property"))
    found: list[Standing] = []
    if holder.type == "this":
        found = methods_of_this(by.file, by.scopes, named, function_of)
    elif holder.type == "identifier":
        made = instance_of(Standing(by.file, by.scopes, holder))
        found = methods_of(made, name, function_of) if made is not None else []
    plain = len(found) == 1 and found[0].node.type == "method_definition" and found[0].node != by.node
    return found[0] if plain else None


def _put_in(by: Answering, holder: Node, function_of: FunctionOf) -> tuple[Maker, list[Standing]] | None:
    """Return the functions that are put into a table by calls, where this handler alone asks it for one, once."""
    if holder.type != "identifier":
        return None
    known = registered(Standing(by.file, by.scopes, holder), plain_functions(function_of))
    plain = all(one.file == by.file and one.node.type != "function_declaration" for one in known.functions)
    if not known.functions or not plain:
        return None
    others = [use for use in known.asked if use != holder]
    if not within(holder, by.node) or not all(asks_for_names(use) or only_tested(by.file, use) for use in others):
        return None
    binding = by.scopes.of(holder)
    assert binding is not None
    owner = Standing(by.file, by.scopes, binding.declared[0].parent.child_by_field_name("value"))
    if declared_at_top(owner.node) is None:
        return None
    return Maker(owner, owner, holder, (), (*known.puts, *others), stands_once=True), [*known.functions]


class AnswerHelper(Handler):
    """Such a function on its way, or all that stand in a table: `take` takes what becomes of another in."""

    def __init__(self, project: Project, one: Function, kinds: tuple[Kind, Kind], way: Way, limit: float) -> None:
        super().__init__(project, one, kinds, way, limit)
        self.parameters = self.inside = self.writers()

    def take(self, other: AnswerHelper) -> None:
        """Take in what becomes of another function of the same table."""
        self.nodes += other.nodes
        self.edits += other.edits
        self.sources |= other.sources
        self.helpers |= other.helpers
        self.helped |= other.helped
        self.findings += other.findings

    def every_edit(self) -> list[Edit]:
        """Return its edits; a table's type says no more than that it has names."""
        assert self.layer.maker is not None
        above = self.layer.maker.owner.node.parent
        said = above.child_by_field_name("type") if above.type == "variable_declarator" else None
        return [
            *self.edits,
            *([Edit(said.start_byte, said.end_byte, ": Record<string, any>")] if said is not None else []),
        ]

    def _without_helpers(self) -> None:
        """Leave functions beside this one where they are: it may come to stand twice."""

    def _is_half_told(self, told: Told, answers: list[Told]) -> bool:
        """Tell whether an answer may fail when part of it is told already, and another function tells another then."""
        return self.way.caught and bool(self.fails_behind(told))


def give(helper: AnswerHelper, called: Called) -> None:
    """Tell a function what its parameters are as far as a call does: text or bytes, or a literal."""
    arguments, theirs = called.arguments, called.by.contents()
    own = Contents(helper.file, helper.scopes, {})
    for at, one in enumerate(parameters_of(helper.node)):
        pattern, usual = one.child_by_field_name("pattern") or one, one.child_by_field_name("value")
        if pattern.type == "assignment_pattern":
            pattern, usual = pattern.child_by_field_name("left"), pattern.child_by_field_name("right")
        binding = helper.scopes.of(pattern) if pattern.type == "identifier" else None
        value = arguments[at] if at < len(arguments) else usual
        if binding is None or binding.writes or value is None:
            continue
        told = (theirs if at < len(arguments) else own).of(value)
        if told:
            helper.follower.given |= {use.id: told for use in binding.uses}
        if value.type in ("number", "string"):
            helper.stands |= {use.id: value for use in binding.uses}
