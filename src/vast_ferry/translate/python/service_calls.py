"""Calls of services written anew: what they are called with there, what they give back, and where there is nothing."""

from __future__ import annotations

import ast

from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping.chains import Chain
from vast_ferry.mapping.clients import Client, name_of
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.lenses.lens import Lens, Plain, PlainBytes
from vast_ferry.mapping.places import Access, Item
from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import Row
from vast_ferry.translate.operations import ContextCall, ServiceCall
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.imports import Import
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.python.written_by_steps import by_steps
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Of, Std, Stop

#: What stands for nothing in one form or another.
_NOTHING = {"None", '""', "''", 'b""', "{}", "[]", "()"}
#: What only makes a value of another.
_PLAIN = frozenset(["str", "int", "float", "bytes", "len", "dict", "list", "repr", "bool", "sorted", "tuple"])


class ServiceCalls:
    """Writes the calls that one function makes of services."""

    def __init__(self, at: Writing) -> None:
        self.at, self.job, self.flow = at, at.job, at.flow

    def call(self, op: ServiceCall, node: ast.AST) -> str:
        """Return the source of a call of the target's own client."""
        ours, call = op.client, op.call
        theirs = self.job.target.operations.get(ours.operation)
        if theirs is None:
            raise Stop("no-service", node, OPERATIONS[ours.operation].meaning)
        alike = _given_back_by(ours) == _given_back_by(theirs)
        same = (ours.called, ours.takes, ours.arguments.rows) == (theirs.called, theirs.takes, theirs.arguments.rows)
        if same and alike:
            return self._same(call, theirs, node)
        if not alike and theirs.chain is None and ours.result is not None:
            raise Stop("result-form", node, theirs.called)
        given = self._given(ours, call)
        if theirs.chain is not None:
            self._nothing_done_is_lost(ours, theirs, given, node)
            return self._by_steps(ours, theirs, theirs.chain, given, node)
        arguments = self._arguments_there(ours, theirs, given, node)
        self._nothing_done_is_lost(ours, theirs, given, node)
        called = self._client(theirs, node)
        own = self.at.text.of(node)
        before = 0 if "\n" in own else self.at.text.end(node) - self.at.text.line_start(self.at.text.start(node))
        text = self.at.set_out(f"{called}(", arguments, ")", node, max(before, 110))
        if ours.absent != theirs.absent and theirs.result is not None:
            text = self._absent(ours, theirs, ", ".join(arguments), node)
        elif theirs.awaited:
            self.at.awaits(node)
            text = f"await {text}"
        if text.startswith("await ") and self.at.needs_parentheses(node, text):
            return f"({text})"
        return text

    def _by_steps(self, ours: Client, theirs: Client, chain: Chain, given: dict[str, ast.expr], node: ast.AST) -> str:
        """Return a call that is made step by step at the target: `open("hold:charts").crate(name).write(data)`."""
        if theirs.awaited or theirs.root in self.job.target.hosts or (theirs.result is None) != (ours.result is None):
            raise Stop("steps-at-target", node, theirs.called)
        made: dict[str, str] = {}
        for parameter in theirs.takes:
            name, _, default = parameter.removeprefix("**").partition("=")
            value = self._argument_there(name, ours, theirs, given, node)
            if value is None and not default:
                raise Stop("argument-lost", node, name)
            if value is not None and value != default.strip():
                made[name] = value
        called = f"{theirs.root}{by_steps(chain, theirs.takes, made)}"
        if theirs.result is None:
            return self.at.need([f"import {theirs.root}"], called)
        if ours.absent == theirs.absent == "none" and not self._given_back(ours, theirs, node).at.steps:
            return self.at.need([f"import {theirs.root}"], self._read(ours, theirs, called, node))
        names = [name for name in map(name_of, theirs.takes) if name in made]
        inner = f"{theirs.root}{by_steps(chain, theirs.takes, {name: name for name in names})}"
        read = self._read(ours, theirs, inner, node)
        name = self.job.reading_adapter(self.at.module, ours, theirs, names, read)
        return f"{name}({', '.join(made[one] for one in names)})"

    def _given_back(self, ours: Client, theirs: Client, node: ast.AST) -> Row:
        """Return the row of what a call gives back at the target; refuse where the original gets more than that."""
        assert ours.result is not None
        assert theirs.result is not None
        gives = next(iter(ours.result.fields))
        rows = [row for row in ours.result.rows if not row.derived]
        row = next((row for row in theirs.result.rows if row.field == gives), None)
        plain = len(rows) == 1 and rows[0].at == Access("returned") and isinstance(rows[0].lens, (Plain, PlainBytes))
        if row is None or not plain:
            raise Stop("steps-at-target", node, theirs.called)
        return row

    def _read(self, ours: Client, theirs: Client, called: str, node: ast.AST) -> str:
        """Return the source of what the original gets of what a call gives back at the target."""
        row = self._given_back(ours, theirs, node)
        text = at_text(row.at, {row.at.root: called})
        if isinstance(row.lens, (Plain, PlainBytes)):
            return text
        view = self.job.lens_view(f"read_{theirs.operation.replace('.', '_')}", row.lens, node)
        self.at.imports.add(Import(self.job.module_name, view.name))
        self.at.through.append((f"what {theirs.called} gives", node))
        return f"{view.name}({text})"

    def _arguments_there(self, ours: Client, theirs: Client, given: dict[str, ast.expr], node: ast.AST) -> list[str]:
        """Return the arguments of a call at the target: by place as far as they go, then by name.

        All go by name, in the order in which they are worked out, where that is another and someone could see it.
        """
        written: list[tuple[str, str, bool]] = []
        for parameter in theirs.takes:
            name, _, default = parameter.partition("=")
            made = self._argument_there(name, ours, theirs, given, node)
            if made is None and not default:
                raise Stop("argument-lost", node, name)
            if made is not None and not (default and made == default.strip()):
                written.append((name, made, bool(default)))
        turns = self._turns(ours, theirs, given)
        if (of_those := [turns[name] for name, _, _ in written if name in turns]) != sorted(of_those):
            written.sort(key=lambda one: turns.get(one[0], -1))
            return [f"{name}={made}" for name, made, _ in written]
        by_name = [any(optional for _, _, optional in written[: at + 1]) for at in range(len(written))]
        return [f"{name}={made}" if named else made for (name, made, _), named in zip(written, by_name, strict=True)]

    def _turns(self, ours: Client, theirs: Client, given: dict[str, ast.expr]) -> dict[str, int]:
        """Return when each argument that may do something is worked out, by the parameter that it goes into."""
        order = {id(node): at for at, node in enumerate(given.values())}
        turns: dict[str, int] = {}
        for row in theirs.arguments.rows:
            own = next((one for one in ours.arguments.rows if one.field == row.field), None)
            node = given.get(own.at.root) if own is not None else None
            if node is not None and any(map(self._may_do, ast.walk(node))):
                turns[row.at.root] = max(turns.get(row.at.root, -1), order[id(node)])
        return turns

    def _may_do(self, node: ast.AST) -> bool:
        """Tell whether an expression may do something, or see what others did: a call of anything but a plain type."""
        plain = isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in _PLAIN
        return self._does(node) or (isinstance(node, ast.Call) and not plain and id(node) not in self.flow.ops)

    def _argument_there(
        self, name: str, ours: Client, theirs: Client, given: dict[str, ast.expr], at: ast.AST
    ) -> str | None:
        """Return the source of what goes into a parameter at the target; nothing where it is that without one."""
        rows = [row for row in theirs.arguments.rows if row.at.root == name]
        made = [(row, text) for row in rows if (text := self._argument(row, given, ours, theirs, at)) is not None]
        inside = [(row.at.steps, text) for row, text in made if row.at.steps and not (row.optional and text == '""')]
        if not inside:
            return next((text for row, text in made if not row.at.steps), None)
        keys = [step.key for steps, _ in inside if len(steps) == 1 and isinstance(step := steps[0], Item)]
        if len(keys) < len(made):
            raise Stop("argument-form", at, name)
        return f"{{{', '.join(f'{quoted(str(key))}: {text}' for key, (_, text) in zip(keys, inside, strict=True))}}}"

    def _nothing_done_is_lost(self, ours: Client, theirs: Client, given: dict[str, ast.expr], node: ast.AST) -> None:
        """Refuse to leave out an argument that has no place there, where it does something on its way."""
        taken = {parameter.partition("=")[0] for parameter in theirs.takes}
        used = {row.field for row in theirs.arguments.rows if row.at.root in taken}
        for row in ours.arguments.rows:
            argument = given.get(row.at.root)
            if row.field in used or argument is None:
                continue
            if any(self._does(inner) for inner in ast.walk(argument)):
                raise Stop("argument-lost", node, row.field)

    def _does(self, node: ast.AST) -> bool:
        """Tell whether an expression may do something, beside giving a value."""
        if isinstance(node, (ast.Await, ast.NamedExpr, ast.Yield)):
            return True
        op = self.flow.ops.get(id(node))
        return id(node) in self.job.called or isinstance(op, (ServiceCall, ContextCall))

    def _same(self, call: ast.Call, theirs: Client, node: ast.AST) -> str:
        """Return a call of a client that both sides have, as it was."""
        inner: list[Edit] = []
        before, self.at.edits = self.at.edits, inner
        if theirs.root in self.job.target.hosts:  # what an object kept of it when it was set up is each call's own
            self.at.swap(call.func, self._client(theirs, node), "service")
        for part in (*call.args, *(keyword.value for keyword in call.keywords)):
            self.at.expression(part)
        self.at.edits = before
        if theirs.awaited:
            self.at.awaits(node)
        text = self.at.applied(call, inner)
        return f"await {text}" if theirs.awaited else text

    def _given(self, ours: Client, call: ast.Call) -> dict[str, ast.expr]:
        names = [parameter.partition("=")[0] for parameter in ours.takes]
        if len(call.args) > len(names) or any(keyword.arg not in names for keyword in call.keywords):
            raise Stop("signature", call)
        given = dict(zip(names, call.args, strict=False))
        given.update({keyword.arg: keyword.value for keyword in call.keywords if keyword.arg})
        return given

    def _argument(self, row: Row, given: dict[str, ast.expr], ours: Client, theirs: Client, at: ast.AST) -> str | None:
        """Return the source of one argument at the target; nothing where it is there what it is without one here."""
        own = next((one for one in ours.arguments.rows if one.field == row.field), None)
        if own is None:
            return None
        node = given.get(own.at.root)
        there, here = row.lens, own.lens
        if node is None:
            left_out, usual = _usual(ours, own), _usual(theirs, row)
            if not left_out or left_out == usual or {left_out, usual} <= _NOTHING:
                return None
            if not here.plain:
                raise Stop("argument-lost", at, row.field)
            return left_out if there.plain else self._written(left_out, there, at, row.field)
        nothing = isinstance(node, ast.Constant) and node.value in (None, "")
        if nothing and there.empty:
            return "None"
        if nothing and row.field in ("content_type", "group"):
            return '""'
        straight = self._of_the_event(node, here, there)
        if straight is not None:
            return straight
        made = self._in_their_form(node, here, there, row.field)
        return f"{made} or None" if row.null_if_empty and not there.plain else made

    def _of_the_event(self, node: ast.expr, here: Lens, there: Lens) -> str | None:
        """Return an argument that is a field of the event, where it can go into the call as the target has it."""
        value = self.flow.values.get(id(node))
        if not isinstance(value, Spot) or id(node) in self.flow.consumed:
            return None
        straight = self._straight(value, node, here, there)
        field = self.flow.shape(value).row(value.role, value.steps)
        never_nothing = field is not None and field.lens.plain and here.empty == '""' and there.plain
        return self.at.code(node) if straight is None and never_nothing else straight

    def _in_their_form(self, node: ast.expr, here: Lens, there: Lens, field: str) -> str:
        """Return an argument in the form that the target's call takes."""
        text = self.at.code(node)
        if here == there or (here.content, there.content) == ("bytes", "either"):
            return text
        operand = (
            text if isinstance(node, (ast.Name, ast.Call, ast.Attribute, ast.Subscript, ast.Constant)) else f"({text})"
        )
        something = isinstance(node, (ast.Constant, ast.JoinedStr, ast.Dict))
        if there.empty and (here.empty or here.plain):
            return text if something else f"{operand} or None"
        if here.empty:
            value = text if something else f"{operand} or {here.empty}"
            return value if there.plain else self._written(value, there, node, field)
        if (here.content, there.content) == ("either", "bytes"):
            kind = self._type(node)
            if kind == "bytes":
                return text
            if kind == "str":
                return f"{operand}.encode()"
            raise Stop("text-or-bytes", node)
        if not (here.plain or here.content == "bytes"):
            raise Stop("argument-form", node, field)
        return self._written(text, there, node, field)

    def _written(self, text: str, there: Lens, node: ast.AST, field: str) -> str:
        """Return a value as the target's call takes it, by an emitted function."""
        view = self.job.lens_view(f"write_{field}", there, node, writes=True)
        self.at.imports.add(Import(self.job.module_name, view.name))
        self.at.through.append((f"`{field}` of a call", node))
        return f"{view.name}({text})"

    def _straight(self, spot: Spot, node: ast.expr, here: Lens, there: Lens) -> str | None:
        """Return a field of the event that goes into a call as the target has it, where both lenses would undo it."""
        row = self.flow.shape(spot).row(spot.role, spot.steps)
        if row is None or row.lens != here or (here.plain and there.plain):
            return None
        target = next((one for one in self.at.reads().rows.get(row.field, ()) if one.lens == there), None)
        if target is None or not all(lens.empty or lens.plain for lens in (here, there)):
            return None
        return self.at.place(self.at.reads().at(target), node, spot)

    def _type(self, node: ast.expr) -> str:
        value = self.flow.values.get(id(node))
        return value.type if isinstance(value, Of) else ""

    def _client(self, theirs: Client, node: ast.AST) -> str:
        if theirs.root in self.job.target.hosts:
            return f"{self.at.root(theirs.root, node)}.{theirs.path}"
        group, _, rest = theirs.path.partition(".")
        text = self.at.need([f"from {theirs.root} import {group}"], f"{group}.{rest}" if rest else group)
        bound = self.at.bound_names()
        there = self.at.module.names.get(group)
        taken = group in bound or (
            there is not None and not (isinstance(there, Std) and there.name == f"{theirs.root}.{group}")
        )
        if not taken:
            return text
        alias = f"{theirs.root.rpartition('.')[2]}_{group}"
        self.at.imports = {
            one for one in self.at.imports if one not in (Import(theirs.root, group), Import(theirs.root))
        }
        self.at.imports.add(Import(theirs.root, group, alias))
        return f"{alias}.{rest}" if rest else alias

    def _absent(self, ours: Client, theirs: Client, inner: str, node: ast.AST) -> str:
        """Return a call of a small function that tells of what is not there as the original was told."""
        called = self._client(theirs, node)
        host = theirs.root if theirs.root in self.job.target.hosts else ""
        holder = called.partition(".")[0] if host else ""
        name = self.job.adapter(self.at.module, ours, theirs, called if not host else f"{host}.{theirs.path}")
        parameters = [p.partition("=")[0] for p in theirs.takes]
        if any(f"{p}=" in inner for p in parameters):
            raise Stop("argument-form", node)
        given = f"{holder}, {inner}" if host else inner
        if theirs.awaited:
            self.at.awaits(node)
            return f"await {name}({given})"
        return f"{name}({given})"


def _given_back_by(client: Client) -> list[tuple[Access, Lens]] | None:
    """Return where and how what a call gives back stands; nothing where that is the value itself, or there is none."""
    rows = [row for row in client.result.rows if not row.derived] if client.result is not None else []
    plain = all(row.at == Access("returned") and isinstance(row.lens, (Plain, PlainBytes)) for row in rows)
    return None if plain else [(row.at, row.lens) for row in rows]


def _usual(client: Client, row: Row) -> str:
    """Return what the argument of a row is where a call leaves it out, as source; empty where it must be given."""
    takes = {name_of(one): one.partition("=")[2].strip() for one in client.takes}
    return takes.get(row.at.root, "")
