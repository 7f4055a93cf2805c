"""Calls written anew: of the context, of services, of the project's own functions, and what is awaited."""

from __future__ import annotations

import ast

from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.chains import Chain
from vast_ferry.mapping.clients import Client, name_of
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.lenses.lens import Lens, Plain, PlainBytes
from vast_ferry.mapping.places import Access, Call, Item
from vast_ferry.mapping.python import in_handler, quoted
from vast_ferry.mapping.tables import Row
from vast_ferry.translate.operations import ContextCall, Decode, ServiceCall
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.environment import EnvironmentRead
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.imports import Import
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.python.written_by_steps import by_steps
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Of, Std, Stop

#: The hub's value of an argument that stands for nothing.
#: What stands for nothing in one form or another.
_NOTHING = {"None", '""', "''", 'b""', "{}", "[]", "()"}
_EMPTY = {"text": '""', "texts": "{}", "integer": "0"}

#: What only makes a value of another.
_PLAIN = frozenset(["str", "int", "float", "bytes", "len", "dict", "list", "repr", "bool", "sorted", "tuple"])


class Calls:
    """Writes the calls of one function."""

    def __init__(self, at: Writing) -> None:
        self.at, self.job, self.flow = at, at.job, at.flow

    # --- the context ---

    def _row(self, field: str) -> Row | None:
        return next((row for row in self.at.shape.rows if row.field == field), None)

    def _holder(self, row: Row, spot: Spot | None, node: ast.AST) -> str:
        root = row.at.root
        if spot is not None and spot.role == "context" and root == self.at.context_root(self.at.kind):
            return self.at.holder(spot, node) or self.at.root(root, node)
        if spot is not None and spot.role != "context" and root == self.at.event_root:
            return self.at.holder(spot, node)
        return self.at.root(root, node)

    def context(self, op: ContextCall, node: ast.AST) -> str:
        """Return the source of a call of the context."""
        if op.field == "time_left":
            return self.time_left(op.per_second, op.spot, node)
        given = self._arguments(op.call)
        row = self._row(op.field)
        if op.field == "secret":
            return self._secret(row, op, given, node)
        if op.field == "setting":
            return self._setting(op, row, given, node)
        return self._log(op, row, given, node)

    def _secret(self, row: Row | None, op: ContextCall, given: str, node: ast.AST) -> str:
        """Return the source of a secret's value that the original's context gives."""
        by_name = len(op.call.args) == 1 and not op.call.keywords
        if row is not None and not row.lens.plain and not by_name:
            raise Stop("arguments-hidden", node)
        operand = by_name and isinstance(op.call.args[0], (ast.Constant, ast.Name))
        return self._secret_of(row, op.spot, ex.Given(given, operand), node)

    def _secret_of(self, row: Row | None, spot: Spot | None, name: ex.Given, node: ast.AST) -> str:
        """Return the source of a secret's value, however the target gives it."""
        if row is None:
            elsewhere = self._secret_elsewhere(name.text, node)
            return elsewhere or self.at.need(["import os"], f"os.environ[{name.text}]")
        called = self._called(row, spot, node)
        if row.lens.plain:
            return f"{called}({name.text})"
        made = row.lens.inline_named(ex.Given(called), name)
        if made is None:
            raise Stop("no-such-field", node, row.field)
        return in_handler(made)

    def _setting(self, op: ContextCall, row: Row | None, given: str, node: ast.AST) -> str:
        """Return the source of a variable's value, or of what is usual where it is not there."""
        if row is not None and not row.lens.plain:
            raise Stop("no-such-field", node, op.field)
        if row is not None:
            return f"{self._called(row, op.spot, node)}({given})"
        if op.call.keywords or not 1 <= len(op.call.args) <= 2:
            raise Stop("arguments-hidden", node)
        if not self.job.target.model.environment.settings:
            usual = self.at.code(op.call.args[1]) if len(op.call.args) == 2 else None
            return self._setting_elsewhere(op.call.args[0], usual, node)
        return self.at.need(
            ["import os"], f"os.environ[{given}]" if len(op.call.args) == 1 else f"os.environ.get({given})"
        )

    def _around(self, *wanted: str) -> tuple[str, str, str] | None:
        """Return what of the target's modules gives settings or a secret: what it is, its module, its name."""
        for module, one in self.job.target.model.surroundings.items():
            for name, what in one.items():
                if what in wanted:
                    return what, module, name
        return None

    def _secret_elsewhere(self, given: str, node: ast.AST) -> str:
        """Return the source of a secret that does not stand in the target's environment; empty where it does."""
        around = self._around("secret")
        if around is not None:
            return self.at.need([f"from {around[1]} import {around[2]}"], f"{around[2]}({given})")
        there = self.job.target.model.environment.secrets
        if there == "nowhere":
            raise Stop("setting-elsewhere", node)
        if there == "values":
            return ""
        path = self.at.need(["from pathlib import Path", "import os"], f"Path(os.environ[{given}])")
        return f"{path}.read_text()"

    def _setting_elsewhere(self, name: ast.expr, usual: str | None, node: ast.AST) -> str:
        """Return the source of a variable's value where the target does not put it into the environment."""
        given = self.at.code(name)
        row = self._row("setting")
        if row is not None and row.lens.plain:
            return f"{self._called(row, None, node)}({given}{'' if usual is None else f', {usual}'})"
        around = self._around("settings", "typed_settings", "setting")
        if around is None:
            raise Stop("setting-elsewhere", node)
        what, module, own = around
        if what == "setting":
            text = f"{own}({given}{'' if usual is None else f', {usual}'})"
        elif usual is not None:
            text = f"{own}.get({given}, {usual})"
        else:
            constant = name.value if isinstance(name, ast.Constant) else None
            plain = isinstance(constant, str) and constant.isidentifier()
            text = f"{own}.{constant!s}" if plain else f"getattr({own}, {given})"
        return self.at.need([f"from {module} import {own}"], text)

    def of_environment(self, read: EnvironmentRead, node: ast.expr) -> str:
        """Return the source of what code reads from the environment; nothing where it stands there at the target."""
        there = self.job.target.model.environment
        name = read.name.value if isinstance(read.name, ast.Constant) else None
        secret = name in self.job.secrets_of(self.at.function)
        if secret and there.secrets != "values":
            if not read.fails:
                raise Stop("setting-elsewhere", node)
            return self._secret_of(self._row("secret"), None, ex.Given(self.at.code(read.name)), node)
        if there.settings:
            return ""
        usual = None if read.fails else self.at.code(read.usual) if read.usual is not None else "None"
        return self._setting_elsewhere(read.name, usual, node)

    def _log(self, op: ContextCall, row: Row | None, given: str, node: ast.AST) -> str:
        if row is not None and row.lens.plain:
            step = row.at.steps[-1]
            if isinstance(step, Call) and "**more" not in step.parameters and op.call.keywords:
                given = self._as_one_text(op.call)
            return f"{self._called(row, op.spot, node)}({given})"
        stream = ""
        if row is not None:
            holder = self._holder(row, op.spot, node)
            stream = at_text(Access(row.at.root, row.at.steps), {row.at.root: holder})
        stream = stream or self.at.need(["import sys"], "sys.stderr")
        return f"print({self._as_text(op.call)}, file={stream})"

    def _called(self, row: Row, spot: Spot | None, node: ast.AST) -> str:
        holder = self._holder(row, spot, node)
        steps = row.at.steps[:-1] if isinstance(row.at.steps[-1], Call) else row.at.steps
        return at_text(Access(row.at.root, steps), {row.at.root: holder})

    def _arguments(self, call: ast.Call) -> str:
        """Return a call's arguments as they are written, edits made."""
        parts = [*call.args, *(keyword.value for keyword in call.keywords)]
        if not parts:
            return ""
        texts = [self.at.code(argument) for argument in call.args]
        texts += [f"{k.arg}={self.at.code(k.value)}" if k.arg else f"**{self.at.code(k.value)}" for k in call.keywords]
        return ", ".join(texts)

    def _as_text(self, call: ast.Call) -> str:
        """Return the arguments of a log that takes a text alone: what comes with it stands behind it."""
        texts = [self.at.code(argument) for argument in call.args]
        more = [
            f"{quoted(keyword.arg)}: {self.at.code(keyword.value)}"
            if keyword.arg
            else f"**{self.at.code(keyword.value)}"
            for keyword in call.keywords
        ]
        return ", ".join([*texts, *([f"{{{', '.join(more)}}}"] if more else [])])

    def _as_one_text(self, call: ast.Call) -> str:
        """Return the arguments of a log that takes one text: what comes with it is put behind it."""
        text = self.at.code(call.args[0]) if call.args else '""'
        first = text if call.args and isinstance(call.args[0], (ast.Constant, ast.JoinedStr)) else f"str({text})"
        more = ", ".join(
            f"{quoted(keyword.arg)}: {self.at.code(keyword.value)}"
            if keyword.arg
            else f"**{self.at.code(keyword.value)}"
            for keyword in call.keywords
        )
        return f'{first} + " " + str({{{more}}})'

    def time_left(self, per_second: int, spot: Spot | None, node: ast.AST) -> str:
        """Return the source of the time that is left, in the unit of the original's lens."""
        row = self._row("time_left")
        if row is None:
            limit = self.job.limit_of(self.at.function, node)
            self.at.notes.append(("time-left-unknown", node))
            return f"{limit:g}" if per_second == 1 else f"{limit * per_second:.0f}"
        text = f"{self._called(row, spot, node)}()"
        there = row.lens.per_second
        if there == per_second:
            return text
        if per_second > there:
            times = f"{text} * {per_second // there}" if per_second % there == 0 else f"{text} * {per_second} / {there}"
            return f"int({times})"
        if per_second > 1:
            text = f"{text} * {per_second}"
        made = f"{text} / {there}"
        return f"({made})" if self.at.needs_parentheses(node, made) else made

    def method_itself(self, spot: Spot, node: ast.AST) -> str:
        """Return the source of a method of the context that is handed on uncalled."""
        row = self.flow.shape(spot).row(spot.role, (*spot.steps, Call()))
        there = self._row(row.field) if row is not None else None
        if row is None or there is None or not there.lens.plain or not row.lens.plain:
            raise Stop("method-passed", node)
        if row.field not in ("log", "secret"):
            raise Stop("method-passed", node)
        return self._called(there, spot, node)

    def function_name(self, spot: Spot, node: ast.AST) -> str:
        """Return the source of the function's name."""
        row = self._row("function")
        if row is not None and row.lens.plain:
            return at_text(row.at, {row.at.root: self._holder(row, spot, node)})
        return self.function_literal(node)

    def function_literal(self, node: ast.AST) -> str:
        """Return the function's name as a text; it has one where its handler is that of one function."""
        function = self.at.function
        names = {one.name for one in self.job.declared_for(function)} if function is not None else set()
        if len(names) != 1:
            raise Stop("no-function-name", node)
        return quoted(names.pop())

    # --- services ---

    def service(self, op: ServiceCall, node: ast.AST) -> str:
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

    # --- the project's own functions ---

    def project(self, node: ast.Call) -> None:
        """Note the edits of a call of the project's own code: arguments that it no longer gets, or gets as well."""
        called = self.job.called.get(id(node))
        facts = self.job.facts.get(called.key) if called is not None else None
        if called is not None and called.stands_behind is not None and self._hands_on(node, called):
            return
        start = len(self.at.edits)
        self.at.parts(node)
        if called is None or facts is None:
            return
        gone = self._gone(node, called)
        self._take_out(gone, start)
        more = self._more(node, called)
        if more:
            self._hand_on(node, called, more, len(node.args) + len(node.keywords) - len(gone))
        if self._goes_about(node, called):
            return
        waits = facts.awaits and isinstance(called.node, ast.FunctionDef)  # and did not before
        if waits and any(one.referred for one in self.job.every_called(node)):
            raise Stop("passed-on", node, called.node.name)
        if self.at.is_async(called) and not called.generates:
            self._await(node)

    def _more(self, node: ast.Call, called: Function) -> list[str]:
        """Return what a call has to hand over besides; of several functions each has to take it in the same way."""
        every = self.job.every_called(node)
        needs = {name: None for one in every for name in self.job.facts[one.key].needs}
        if any(list(self.job.facts[one.key].needs) != list(needs) for one in every):
            self.job.changed = True  # they will agree before all is written again
            return [name for name in needs if not self.at.holds(called, name)]
        found = {
            tuple((name, self.job.parameter_name(one, name)) for name in needs if not self.at.holds(one, name))
            for one in every
        }
        more = found.pop()
        by_name = {one.takes_more for one in every}
        if found or (more and (len(by_name) > 1 or any(one.referred for one in every))):
            raise Stop("passed-on", node, called.node.name)
        return [name for name, _ in more]

    def _hands_on(self, node: ast.Call, called: Function) -> bool:
        """Write a decorator's call of the handler that it stands before: with all that the target hands over."""
        function = self.at.function
        if function is None or called.key not in function.stands_before:
            return False
        if self.at.handed:
            given = ", ".join(self.at.handed.values())
            every: list[ast.expr | ast.keyword] = [*node.args, *node.keywords]
            parts = every[: function.leading]
            for one in every[len(parts) :]:
                self.at.expression(one.value if isinstance(one, ast.keyword) else one)
            start, end = self.at.text.start(parts[0]), self.at.text.end(parts[-1])
            if function.whatever and function.passes_more:
                self.at.edit(start, start, f"{given}, ", "handed-on")
            elif self.at.text.data[start:end].decode() != given:
                self.at.edit(start, end, given, "handed-on")
        if self.at.is_async(called):
            self._await(node)
        return True

    def _goes_about(self, node: ast.Call, called: Function) -> bool:
        """Tell whether a coroutine is not awaited where it is made: then it has to stay one."""
        parent = self.at.parents.get(id(node))
        if not isinstance(called.node, ast.AsyncFunctionDef) or isinstance(parent, ast.Await):
            return False
        if called.generates and not self._is_kept(node, parent):
            return False  # it is gone through at once, or is what is answered
        if isinstance(parent, ast.Call) and self.becomes_a_list(parent):
            return False
        if not self.job.asynchronous:
            raise Stop("awaits-others", node)
        facts = self.job.facts[called.key]
        if not facts.awaits:
            facts.awaits = self.job.changed = True
        return True

    def _is_kept(self, node: ast.Call, parent: ast.AST | None) -> bool:
        """Tell whether an asynchronous generator goes on to where it is gone through as such."""
        answers = self.at.facts is not None and self.at.facts.answers
        if isinstance(parent, ast.Return) and not answers:
            if self.at.function is None or self.at.function.node.name != "__aiter__":
                raise Stop("awaits-others", node)
            return True
        if isinstance(parent, ast.keyword):
            parent = self.at.parents.get(id(parent))
        if isinstance(parent, ast.Call) and id(parent) in self.job.called:
            return True
        if not isinstance(parent, ast.Assign) or not isinstance(parent.targets[0], ast.Name) or not self.at.function:
            return False
        uses = map(self.at.parents.get, map(id, self.at.function.nodes.uses(parent.targets[0].id)))
        return any(isinstance(use, ast.AsyncFor) or getattr(use, "is_async", False) for use in uses)

    def _take_out(self, gone: list[tuple[int, int]], start: int) -> None:
        """Take out arguments, with what was to be edited in them from the edit with number `start` on."""
        kept = [e for e in self.at.edits[start:] if not any(g[0] <= e.start and e.end <= g[1] for g in gone)]
        self.at.edits[start:] = kept
        for begin, end in gone:
            self.at.edit(begin, end, "", "handed-on")

    def _hand_on(self, node: ast.Call, called: Function, more: list[str], left: int) -> None:
        """Add arguments to a call that has so many left."""
        hidden = any(keyword.arg is None for keyword in node.keywords)
        hidden = hidden or any(isinstance(argument, ast.Starred) for argument in node.args)
        by_name = called.takes_more
        if hidden and not by_name:
            raise Stop("arguments-hidden", node)
        given = [self.at.root(name, node) for name in more]
        if node.keywords or by_name:
            given = [f"{self.job.parameter_name(called, name)}={text}" for name, text in zip(more, given, strict=True)]
        end = self.at.text.end(node) - 1
        self.at.edit(end, end, (", " if left else "") + ", ".join(given), "handed-on")

    def _await(self, node: ast.Call) -> None:
        """Write a call as one that is awaited, where it was not."""
        self.at.awaits(node)
        if isinstance(self.at.parents.get(id(node)), ast.Await):
            return
        at, end = self.at.text.start(node), self.at.text.end(node)
        free = not self.at.needs_parentheses(node, "await x")
        self.at.edit(at, at, "await " if free else "(await ", "asynchronous")
        if not free:
            self.at.edit(end, end, ")", "asynchronous")

    def _gone(self, node: ast.Call, called: Function) -> list[tuple[int, int]]:
        """Return where arguments stand that there is nothing to hand on for."""
        parts: list[ast.AST] = [*node.args, *node.keywords]
        spans = []
        for index, part in enumerate(parts):
            value_node = part.value if isinstance(part, ast.keyword) else part
            value = self.flow.values.get(id(value_node))
            if not (isinstance(value, Spot) and value.role == "context" and id(value_node) in self.flow.consumed):
                continue
            if self.at.takes_context(called):
                continue
            start, end = self.at.text.start(part), self.at.text.end(part)
            if index + 1 < len(parts):
                end = self.at.text.start(parts[index + 1])
            elif index:
                start = self.at.text.end(parts[index - 1])
            spans.append((start, end))
        return spans

    def awaited(self, node: ast.Await) -> None:
        """Note the edits of what the original awaited: at a target that does not await, only calls can be awaited."""
        inner = node.value
        start, after = self.at.text.start(node), self.at.text.start(inner)
        value = self.flow.values.get(id(inner))
        op = self.flow.ops.get(id(inner))
        if isinstance(value, Spot):
            made = self.at.made(value, node) if id(node) not in self.flow.consumed else ""
            self.at.swap(node, made, "content")
            return
        if isinstance(op, (ServiceCall, Decode, ContextCall)):
            reason = "service" if isinstance(op, ServiceCall) else "content"
            self.at.swap(node, self.at.value_of(op, node), reason)
            return
        called = self.job.called.get(id(inner))
        if called is not None and called.key in self.job.facts:
            self.at.expression(inner)
            if not self.at.is_async(called):
                around = self.at.parentheses(node)
                self.at.edit(start - around, after, "", "asynchronous")
                if around:
                    self.at.edit(self.at.text.end(node), self.at.text.end(node) + 1, "", "asynchronous")
            elif isinstance(inner, ast.Call):
                self.at.awaits(node)
            return
        if (made_list := self._gathered(inner)) is not None:
            self.at.swap(node, made_list, "asynchronous")
            return
        if not self.job.asynchronous:
            raise Stop("awaits-others", node)
        self.at.awaits(node)
        self.at.expression(inner)

    def becomes_a_list(self, node: ast.Call) -> bool:
        """Tell whether a call gathers what can't be gathered there: some of it is done by no coroutine."""
        if node.keywords or self.flow.standard_name(self.at.module, node.func) != "asyncio.gather":
            return False
        return not self.job.asynchronous or any(id(part) in self.flow.ops for part in node.args)

    def _gathered(self, node: ast.expr) -> str | None:
        """Return the list of what was awaited together, one after the other."""
        if not isinstance(node, ast.Call) or not self.becomes_a_list(node):
            return None
        for part in node.args:
            if not self._done_by_itself(part):
                raise Stop("awaits-others", part)
        self.at.notes.append(("one-after-another", node))
        return f"[{', '.join(self.at.code(argument) for argument in node.args)}]"

    def _done_by_itself(self, part: ast.expr) -> bool:
        """Tell whether what is awaited is the provider's or a coroutine function's of the project: then it can be done.

        Anything else is a coroutine of somebody else's, which nobody would await.
        """
        if isinstance(part, ast.Starred):
            listed = isinstance(part.value, (ast.ListComp, ast.GeneratorExp))
            return listed and self._done_by_itself(part.value.elt)  # type: ignore[attr-defined]
        called = self.job.called.get(id(part))
        own = called is not None and isinstance(called.node, ast.AsyncFunctionDef)
        return own or id(part) in self.flow.ops or isinstance(self.flow.values.get(id(part)), Spot)


def _given_back_by(client: Client) -> list[tuple[Access, Lens]] | None:
    """Return where and how what a call gives back stands; nothing where that is the value itself, or there is none."""
    rows = [row for row in client.result.rows if not row.derived] if client.result is not None else []
    plain = all(row.at == Access("returned") and isinstance(row.lens, (Plain, PlainBytes)) for row in rows)
    return None if plain else [(row.at, row.lens) for row in rows]


def _usual(client: Client, row: Row) -> str:
    """Return what the argument of a row is where a call leaves it out, as source; empty where it must be given."""
    takes = {name_of(one): one.partition("=")[2].strip() for one in client.takes}
    return takes.get(row.at.root, "")
