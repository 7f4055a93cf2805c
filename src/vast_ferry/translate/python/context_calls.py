"""What a handler asks of its context and its environment, written anew: log, secrets, settings, time that is left."""

from __future__ import annotations

import ast

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.places import Access, Call
from vast_ferry.mapping.python import in_handler, quoted
from vast_ferry.mapping.tables import Row
from vast_ferry.translate.operations import ContextCall
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.environment import EnvironmentRead
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.values import Stop


class ContextCalls:
    """Writes what one function asks of its context and its environment."""

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

    def call(self, op: ContextCall, node: ast.AST) -> str:
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
        return f"print({self._as_text(op.call)}, file={self._log_stream(row, op.spot, node)})"

    def _log_stream(self, row: Row | None, spot: Spot | None, node: ast.AST) -> str:
        """Return the source of what logs are written to, where that is a file."""
        if row is None:
            return self.at.need(["import sys"], "sys.stderr")
        return at_text(Access(row.at.root, row.at.steps), {row.at.root: self._holder(row, spot, node)})

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
        return ", ".join([*texts, *([self._by_name(call)] if call.keywords else [])])

    def _by_name(self, call: ast.Call) -> str:
        """Return what a call gives by name as a mapping."""
        items = []
        for keyword in call.keywords:
            text = self.at.code(keyword.value)
            loose = isinstance(keyword.value, (ast.BoolOp, ast.IfExp, ast.Compare, ast.Lambda, ast.UnaryOp))
            spread = f"**({text})" if loose else f"**{text}"  # a mapping takes less than a call does
            items.append(f"{quoted(keyword.arg)}: {text}" if keyword.arg else spread)
        return f"{{{', '.join(items)}}}"

    def _as_one_text(self, call: ast.Call) -> str:
        """Return the arguments of a log that takes one text: what comes with it is put behind it."""
        text = self.at.code(call.args[0]) if call.args else '""'
        first = text if call.args and isinstance(call.args[0], (ast.Constant, ast.JoinedStr)) else f"str({text})"
        return f'{first} + " " + str({self._by_name(call)})'

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
        if row is not None and row.field == "log" and row.lens.plain and (there is None or not there.lens.plain):
            stream = self._log_stream(there, spot, node)
            return f"(lambda *texts, **more: print(*texts, *([more] if more else ()), file={stream}))"
        if row is None or there is None or not there.lens.plain or not row.lens.plain:
            raise Stop("method-passed", node)
        if row.field not in ("log", "secret"):
            raise Stop("method-passed", node)
        return self._called(there, spot, node)

    def function_name(self, spot: Spot, node: ast.AST) -> str:
        """Return the source of the function's name.

        Where the target may not tell it, it is written out, unless the handlers of several functions ask for it here.
        """
        row = self._row("function")
        if row is not None and row.lens.plain and not (row.optional and self._function_names() == 1):
            return at_text(row.at, {row.at.root: self._holder(row, spot, node)})
        return self.function_literal(node)

    def function_literal(self, node: ast.AST) -> str:
        """Return the function's name as a text; it has one where its handler is that of one function."""
        if self._function_names() != 1:
            raise Stop("no-function-name", node)
        return quoted(self.job.declared_for(self.at.function)[0].name)

    def _function_names(self) -> int:
        """Return how many functions' handlers run what is written."""
        function = self.at.function
        return len({one.name for one in self.job.declared_for(function)}) if function is not None else 0

    # --- services ---
