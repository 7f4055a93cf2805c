"""Functions by which a handler tells a part of its answer: they give what they tell, and the handler tells it.

    function setCookie(reply, name, value, { path } = {}) {        function setCookie(name, value, { path } = {}) {
      const parts = [`${name}=${value}`];                            const parts = [`${name}=${value}`];
      if (path) parts.push(`Path=${path}`);                    →     if (path) parts.push(`Path=${path}`);
      reply.head("set-cookie", parts.join("; "));                    return parts.join("; ");
    }                                                              }
    ...                                                            ...
    setCookie(reply, "hive", id);                                  const cookie = setCookie("hive", id);

Only where that is the last that the function does, wherever it ends, and where it is one value, worked out there. What
does nothing else than to tell is told in place of the call (`inlined.py`).
"""

from __future__ import annotations

from vast_ferry.documents.javascript_file import Node
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.mapping.writers import ByWriter
from vast_ferry.translate.javascript.answer_helpers import AnswerHelper
from vast_ferry.translate.javascript.answering import Called
from vast_ferry.translate.javascript.looking import parameters_of
from vast_ferry.translate.javascript.scopes import Binding
from vast_ferry.translate.javascript.stops import Inside
from vast_ferry.translate.javascript.values import calls_of, chain_of, only_value, own_nodes

_LITERALS = ("string", "number")


class PartHelper(AnswerHelper):
    """Such a function on its way; what it tells by each call is asked of it."""

    chain: Node  # the calls by which it tells
    value: Node  # what it works out

    def _through(self, writer: ByWriter) -> None:
        """Let the function give what it tells; raises Inside where it does anything else with what it answers by."""
        binding = self.scopes.of(self.writer) if self.writer is not None else None
        chain = self._last_chain(binding, writer) if binding is not None and not binding.writes else None
        if chain is None:
            raise Inside("it does more with what it answers through")
        worked_out = [one for _, given in calls_of(chain, self.file) for one in given if not self._is_handed(one)]
        if len(worked_out) != 1:
            raise Inside("it tells several things that it works out")
        self.parameters = self.inside = []
        self.chain, (self.value,) = chain, worked_out
        statement = chain.parent
        end = ";" * (self.file.text(statement)[-1:] == ";")
        self._replace(statement, f"return {self._own_text_of(self.value)}{end}")
        self._no_return_type()

    def _last_chain(self, binding: Binding, writer: ByWriter) -> Node | None:
        """Return the chain of calls that is all that the function does with what it answers by, and its last."""
        if (
            len(binding.uses) != 1
            or not self.has_block
            or any(one.type in ("async", "*") for one in self.node.children)
        ):
            return None
        ends = {camel(name) for name, one in writer.methods.items() if one.ends}
        chain = chain_of(binding.uses[0], self.file, ends)
        if chain is None or chain[1] or chain[0].parent.type != "expression_statement":
            return None
        inside = [one for one in self.body.named_children if one.type != "comment"]
        returns = any(one.type == "return_statement" for one in own_nodes(self.body))
        return None if returns or inside[-1] != chain[0].parent else chain[0]

    def _is_handed(self, node: Node) -> bool:
        """Tell whether what is told stands there, or is what the function is handed, as it is."""
        return self._literal(node) is not None or self._number_of(node) is not None

    def _literal(self, node: Node) -> Node | None:
        value = only_value(self.scopes, node) if node.type == "identifier" else node
        return value if value is not None and value.type in ("string", "number") else None

    def _number_of(self, node: Node) -> int | None:
        """Return which parameter a name is that never gets another value; nothing for anything else."""
        binding = self.scopes.of(node) if node.type == "identifier" else None
        known = binding.declared[0] if binding is not None and not binding.writes else None
        every = [one.child_by_field_name("pattern") or one for one in parameters_of(self.node)]
        return every.index(known) if known in every else None

    def told(self, called: Called) -> list[tuple[str, list[Node]]] | None:
        """Return what a call of it tells, with the call where its value stands; nothing where that can't be said."""
        found: list[tuple[str, list[Node]]] = []
        for name, given in calls_of(self.chain, self.file):
            told = [called.call if one == self.value else self._handed(one, called) for one in given]
            if any(one is None for one in told):
                return None
            found.append((name, [one for one in told if one is not None]))
        return found

    def _handed(self, node: Node, called: Called) -> Node | None:
        """Return the literal that is told, or that a call hands over for it."""
        number, given = self._number_of(node), called.arguments
        if number is None:
            return self._literal(node)
        literal = number < len(given) and given[number].type in ("string", "number")
        return given[number] if literal else None
