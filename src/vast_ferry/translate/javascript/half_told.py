"""Whether an answer may be half told when something fails, and another answer has that half then.

    reply.head("x-rows", rows.length);
    reply.send(render(rows));         // where this fails, and a `catch` answers: `x-rows` is in that answer as well

Only what the project's code may refuse (`failing.py`) counts: what fails by mistake only is told of, and no more.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from vast_ferry.documents.javascript_file import Node, walk
from vast_ferry.mapping.javascript.functions import reply_there
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.mapping.writers import WriterMethod
from vast_ferry.translate.javascript.answering import Answering
from vast_ferry.translate.javascript.contents import TEXT, Contents
from vast_ferry.translate.javascript.edits import Edit
from vast_ferry.translate.javascript.failing import may_be_refused
from vast_ferry.translate.javascript.handlers import Standing
from vast_ferry.translate.javascript.scopes import NAMES
from vast_ferry.translate.javascript.values import arguments_of, in_try, is_caught_later, never_fails

#: What fails only where a part of it does.
_MADE_OF_PARTS = frozenset(("object", "array", "pair", "shorthand_property_identifier", "parenthesized_expression"))


@dataclass(frozen=True, slots=True)
class Told:
    """An answer that is told at once: the chain of calls that ends it, those before it, and what becomes of it.

    That is a text in place of a node, or edits.
    """

    chain: Node
    before: tuple[Node, ...]
    edits: tuple[Edit, ...]
    without: tuple[Node, ...]  # statements that are not needed any more
    node: Node | None = None
    text: str = ""


class HalfTold(Answering):
    """A handler whose answers are told in parts."""

    def _is_half_told(self, told: Told, answers: list[Told]) -> bool:
        """Tell whether an answer may fail when part of it is told already, and another answer has that part then.

        What is told again is no matter: a status that every answer sets.
        """
        if self.way.caught:  # by a layer around it, which then answers
            before = self.fails_behind(told)
            if any(one.puts or one.adds or {*one.sets} - self.way.set_anew for one in before):
                return True
        if not (in_try(told.chain, self.node) or is_caught_later(told.chain, self.file)):
            return False
        every = {one.id for answer in answers for one in answer.before}
        shared = {one for one in every if all(one in {step.id for step in answer.before} for answer in answers)}
        before = self.fails_behind(replace(told, before=tuple(one for one in told.before if one.id not in shared)))
        if any(one.puts or one.adds for one in before):
            return True
        halves = {attribute for one in before for attribute in one.sets}
        return any(halves - self._sets(other) for other in answers)

    def _sets(self, told: Told) -> set[str]:
        """Return what an answer tells of itself for certain: its status, its content."""
        methods = self._methods()
        helper = self.helped.get(told.chain.id)
        own = {name for chain in (*told.before, told.chain) for name, _ in self._calls_of(chain)}
        return {one for name in own for one in methods[name].sets} | (set(helper.every_sets or ()) if helper else set())

    def _methods(self) -> dict[str, WriterMethod]:
        writer = reply_there(self.ours.answered).writer
        return {camel(name): one for name, one in writer.methods.items()} if writer is not None else {}

    def fails_behind(self, told: Told) -> list[WriterMethod]:
        """Return by what an answer is half told when it may still fail."""
        methods = self._methods()
        calls = [call for chain in (*told.before, told.chain) for call in self._calls_of(chain)]
        contents = self.contents()
        fails = [
            at
            for at, (_, given) in enumerate(calls)
            if at and not all(self._never_fails(one, contents) for one in given)
        ]
        return [methods[name] for name, _ in calls[: fails[-1]]] if fails else []

    def _never_fails(self, node: Node, contents: Contents) -> bool:
        """Tell whether working out an expression throws nothing, or by mistake only, which is told then."""
        if never_fails(node):
            return True
        if node.id in self.follower.given:
            return not any(one.type == "call_expression" for one in walk(node))
        if node.type == "call_expression" and self.file.text(node.child_by_field_name("function")) == "JSON.stringify":
            given = arguments_of(node)
            if not given or not all(self._never_fails(one, contents) for one in given):
                return False
            if any(one.type in NAMES and contents.of(one) != TEXT for one in walk(given[0])):
                self._note({"answer-perhaps-half-told": node})
            return True
        if node.type in _MADE_OF_PARTS:
            inside = [one for one in node.named_children if one.type not in ("comment", "property_identifier")]
            return all(self._never_fails(one, contents) for one in inside)
        if self._is_made_of_texts(node, contents):
            return True
        if may_be_refused(Standing(self.file, self.scopes, node), self.project.function_of):
            return False
        self._note({"answer-perhaps-half-told": node})
        return True

    def _is_made_of_texts(self, node: Node, contents: Contents) -> bool:
        """Tell whether an expression puts texts together, and does nothing else."""
        inside = [one for one in node.named_children if one.type != "comment"]
        if node.type == "template_string":
            inside = [one.named_children[0] for one in inside if one.type == "template_substitution"]
        elif node.type != "binary_expression" or self.file.text(node.child_by_field_name("operator")) != "+":
            return False
        return all(contents.of(one) == TEXT and self._never_fails(one, contents) for one in inside)
