"""Handlers whose parameters are named by bindings, written as those that take the event and call services.

What a provider hands over as a parameter, or writes when a handler fills an output, becomes a read of its own event and
a call of its own clients. The handler is still one of the same provider; what follows treats it like any other.
"""

from __future__ import annotations

import ast
import re
import string
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import Binding, Entry
from vast_ferry.hub.functions import Function as Declared
from vast_ferry.hub.kinds import is_request
from vast_ferry.mapping.clients import Client
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import EventShape
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.moves import Done, composed, line_before
from vast_ferry.translate.python.handlers_alone import at_first, fresh_name, is_called_by_others
from vast_ferry.translate.python.imports import LONGEST, Import, Imports
from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.text import Edit

#: form of a content → how it is made of the name of its bytes
_FORMS = {"bytes": "{0}", "text": '{0}.decode(errors="replace")', "json": "json.loads({0})"}
#: how the JSON text of what fills an output is written
_FILLED = ("ensure_ascii=False", 'separators=(",", ":")')


#: An argument: what stands before its value (`body=`, or nothing), and the value; None is left open.
_Argument = tuple[str, str | None]


class _Bound(Exception):
    """A handler that has to stay as it is."""


@dataclass(slots=True)
class Unbound:
    """A project's files and functions, bindings become reads and calls where they could: `names` says of which."""

    functions: list[Declared]
    files: dict[str, bytes] = field(default_factory=dict)
    edits: dict[str, list[Done]] = field(default_factory=dict)
    names: set[str] = field(default_factory=set)
    as_text: dict[str, tuple[str, int]] = field(default_factory=dict)  # function → where content is taken for UTF-8

    def line(self, file: str, line: int, before: Mapping[str, bytes]) -> int:
        """Return the line in the author's own file of what stands in a line here."""
        if file not in self.files:
            return line
        return line_before(line, self.edits[file], PythonText(before[file], file), PythonText(self.files[file], file))

    def edit(self, edits: Mapping[str, Sequence[Edit]], before: Mapping[str, bytes]) -> None:
        """Edit the files once more; what was done to the author's own is told as one round."""
        for file, several in edits.items():
            text = PythonText(self.files.get(file, before[file]), file)
            content, spans = text.edited(several)
            done = [Done(file, one, other, edit.reason) for one, other, edit in spans]
            first, last = PythonText(before[file], file), PythonText(content, file)
            self.edits[file] = composed(self.edits.get(file, ()), done, first, text, last)
            self.files[file] = content


def unbound(
    source: Profile, functions: Iterable[Declared], files: Mapping[str, bytes], skip: Collection[str] = ()
) -> Unbound:
    """Return a project whose handlers take events whole, but for those that can't and those named in `skip`."""
    made = Unbound(list(functions))
    if not source.model.handler.output:
        return made
    by_file: dict[str, list[Declared]] = {}
    for function in made.functions:
        if function.name not in skip and source.binds(function):
            by_file.setdefault(function.entry.file, []).append(function)
    for file, own in by_file.items():
        try:
            text = PythonText(files[file], file)
            nodes = Nodes(text.parse())
        except (KeyError, BadInput, SyntaxError, ValueError, RecursionError, MemoryError):
            continue
        _of_file(made, source, _File(text, nodes, [raw for name, raw in files.items() if name != file]), own)
    return made


def _of_file(made: Unbound, source: Profile, file: _File, functions: Sequence[Declared]) -> None:
    entries: dict[Entry, list[Declared]] = {}
    for function in functions:
        entries.setdefault(function.entry, []).append(function)
    edits: list[Edit] = []
    wanted: set[Import] = set()
    for several in entries.values():
        # A handler of two functions is bound in one way, or it stays.
        if any(one.bindings != several[0].bindings or one.kinds != several[0].kinds for one in several):
            continue
        try:
            one = _Handler(source, file, several[0])
            edits += one.edits()
        except _Bound:
            continue
        wanted |= one.wanted
        for function in several:
            made.names.add(function.name)
            made.functions[made.functions.index(function)] = replace(function, bindings=())
            if one.as_text:
                made.as_text[function.name] = (file.text.shown, one.node.lineno)
    if not edits:
        return
    theirs = frozenset({*source.model.modules, *source.model.decorators, *(c.root for c in source.clients)})
    editor = Imports(file.text, file.tree, theirs, wanted)
    content, spans = file.text.edited([*editor.edits(file.nodes.ids, frozenset()), *edits])
    made.files[file.text.shown] = content
    made.edits[file.text.shown] = [Done(file.text.shown, before, after, edit.reason) for before, after, edit in spans]


@dataclass(slots=True)
class _File:
    text: PythonText
    nodes: Nodes
    others: list[bytes]

    @property
    def tree(self) -> ast.Module:
        assert isinstance(self.nodes.root, ast.Module)
        return self.nodes.root

    def imported(self) -> dict[str, Import]:
        """Return what the names stand for that the module imports."""
        found: dict[str, Import] = {}
        for node in self.nodes.imports:
            for alias in node.names:
                if isinstance(node, ast.Import):
                    one = Import(alias.name, "", alias.asname or "")
                elif not node.level:
                    one = Import(node.module or "", alias.name, alias.asname or "")
                else:
                    continue
                found[one.bound] = one
        return found


class _Handler:
    """One handler that is called with what its bindings name."""

    def __init__(self, source: Profile, file: _File, declared: Declared) -> None:
        self.source, self.file, self.declared = source, file, declared
        self.text, self.kind = file.text, declared.kinds[0]
        self.shape: EventShape = source.kind(self.kind).event
        self.wanted: set[Import] = set()
        self.as_text = False
        named = [node for node in file.tree.body if getattr(node, "name", "") == declared.entry.name]
        if len(named) != 1 or not isinstance(named[0], ast.FunctionDef):
            raise _Bound
        self.node = named[0]
        self.nodes = Nodes(self.node, file.nodes)
        trigger = next((one for one in declared.bindings if one.way == "event"), None)
        if trigger is None or len(declared.kinds) != 1 or trigger.kind != self.kind:
            raise _Bound
        self.trigger: Binding = trigger
        self.event = (
            trigger.name
            if trigger.form == "whole"
            else fresh_name(self.shape.event_parameters[0], self.nodes, file.nodes)
        )

    def edits(self) -> list[Edit]:
        """Return what makes it a handler that takes the event; raises _Bound where it can't be one."""
        self._refuse()
        arguments = self.node.args
        given = [argument.arg for argument in arguments.args]
        context = [name for name in self.shape.handed_over if name not in self.shape.event_parameters]
        captured = self._captured()
        known = {one.name for one in self.declared.bindings} | set(captured) | set(context)
        # All that is handed over comes by its name: a handler that does not take one of them fails at every call.
        handed = known if self.kind == "object" else known - set(captured)
        if not given or set(given) - known or handed - set(given):
            raise _Bound
        lines = self._captures(captured, given)
        lines += self._content(given)
        edits = []
        for binding in self.declared.bindings:
            if binding.way == "in" and binding.name in given:
                lines += self._input(binding, captured)
            elif binding.way == "out" and binding.name in given:
                edits += self._output(binding, captured)
        made = ", ".join([self.event, *context])
        first, last = arguments.args[0], arguments.args[-1]
        if given != [self.event, *context] or any(argument.annotation for argument in arguments.args):
            edits.append(Edit(self.text.start(first), self.text.end(last), made, "binding"))
        if lines:
            edits.append(self._at_first(lines))
        return edits

    def _refuse(self) -> None:
        arguments = self.node.args
        if (
            arguments.vararg
            or arguments.kwarg
            or arguments.kwonlyargs
            or arguments.posonlyargs
            or arguments.defaults
            or self.file.text.strange
        ):
            raise _Bound
        # Whoever else calls it hands over what the bindings name.
        if is_called_by_others(self.declared.entry, self.file.nodes, self.file.others):
            raise _Bound

    # --- what is handed over ---

    def _captured(self) -> dict[str, str]:
        """Return what the trigger's pattern captures, and the source of each."""
        if self.kind == "object":
            names = [name for name, _ in _captures_of(self.trigger.key)]
            return {name: name for name in names}
        if is_request(self.kind):
            return {name: f"{self._place('captures')}[{quoted(name)}]" for name in sorted(self.declared.captured)}
        return {}

    def _place(self, name: str) -> str:
        row = next((row for row in self.shape.rows if row.field == name and not row.derived), None)
        if row is None or not (row.lens.plain or row.lens.content == "bytes"):
            raise _Bound
        return at_text(row.at, {row.at.root: self.event})

    def _captures(self, captured: Mapping[str, str], given: Collection[str]) -> list[str]:
        """Return the lines that take a key apart, where anything of it is used."""
        if self.kind != "object" or not captured:
            return []
        in_keys = {name for one in self.declared.bindings if one.way != "event" for name, _ in _captures_of(one.key)}
        tables = any(one.kind == "record" and one.way != "event" for one in self.declared.bindings)
        used = {name for name in given if self.nodes.uses(name)}
        if not tables and not (in_keys | used) & set(captured):
            return []
        if (set(captured) - set(given)) & self.nodes.named:  # something else is called so
            raise _Bound
        self._want(Import("re"))
        names = list(captured)
        left = ", ".join(names) if len(names) > 1 else f"({names[0]},)"
        pattern = _regular(self.trigger.key)
        # As a path that captures does, a part may hold what ends a line.
        flags = ", re.DOTALL" if "." in re.sub(r"\\.", "", pattern) else ""
        return [f'{left} = re.fullmatch(r"{pattern}", {self._place("key")}{flags}).groups()']

    def _content(self, given: Collection[str]) -> list[str]:
        """Return the lines that make the content of what triggers it, in the form that it is handed over in."""
        form, name = self.trigger.form, self.trigger.name
        if form == "whole" or name not in given:
            return []
        self.as_text = form == "text"
        if self.kind == "object":
            return self._read(
                name, form, self._call("object.read", bucket=self._place("bucket"), key=self._place("key"))
            )
        if self.kind not in ("message", "http"):
            raise _Bound
        self._formed(form)
        return [f"{name} = {_FORMS[form].format(self._place('body'))}"]

    def _read(self, name: str, form: str, call: str) -> list[str]:
        self._formed(form)
        lines = [f"{name} = {call}"]
        if form != "bytes":
            lines.append(f"{name} = None if {name} is None else {_FORMS[form].format(name)}")
        return lines

    def _formed(self, form: str) -> None:
        if form not in _FORMS:
            raise _Bound
        if form == "json":
            self._want(Import("json"))

    def _input(self, binding: Binding, captured: Mapping[str, str]) -> list[str]:
        if binding.kind == "record":
            keys = self._keys(captured)
            return [f"{binding.name} = {self._call('record.read', table=quoted(binding.source), keys=keys)}"]
        key = self._formatted(binding.key, captured)
        call = self._call("object.read", bucket=quoted(binding.source), key=key)
        return self._read(binding.name, binding.form if binding.form in _FORMS else "bytes", call)

    # --- what is filled ---

    def _output(self, binding: Binding, captured: Mapping[str, str]) -> list[Edit]:
        """Return the edits that make calls of its method calls of a client."""
        parents = self.nodes.parents
        edits = []
        form = binding.form if binding.form in _FORMS else "bytes"
        for use in self.nodes.uses(binding.name):
            attribute = parents.get(id(use))
            call = parents.get(id(attribute))
            filled = (
                isinstance(attribute, ast.Attribute)
                and attribute.attr == self.source.model.handler.output
                and isinstance(call, ast.Call)
                and call.func is attribute
                and len(call.args) == 1
                and not call.keywords
                and isinstance(parents.get(id(call)), ast.Expr)
                and not isinstance(call.args[0], (ast.Starred, ast.GeneratorExp))
            )
            if not filled:
                raise _Bound
            assert isinstance(call, ast.Call)
            start, end = self.text.start(call), self.text.end(call)
            before, after = self._set_out(self._write(binding, captured), form, call)
            edits.append(Edit(start, self.text.start(call.args[0]), before, "binding"))
            edits.append(Edit(self.text.end(call.args[0]), end, after, "binding"))
        return edits

    def _write(self, binding: Binding, captured: Mapping[str, str]) -> tuple[str, list[_Argument]]:
        """Return the call that writes, and its arguments; the value of what is written is left open."""
        table = quoted(binding.source)
        said = {"content_type": quoted(binding.content_type)} if binding.content_type else {}
        if binding.kind == "record":
            return self._parts("record.write", table=table, keys=self._keys(captured), record=None)
        if binding.kind == "message":
            return self._parts("message.send", channel=table, body=None, **said)
        key = self._formatted(binding.key, captured)
        return self._parts("object.write", bucket=table, key=key, body=None, **said)

    def _set_out(self, made: tuple[str, list[_Argument]], form: str, call: ast.Call) -> tuple[str, str]:
        """Return what stands before and after what is written, on several lines where one would be too long."""
        called, parts = made
        own, indent = self.text.of(call.args[0]), self.text.indent_of(self.text.start(call))
        at = next(index for index, (_, value) in enumerate(parts) if value is None)
        first, lead, last = [f"{a}{b}" for a, b in parts[:at]], parts[at][0], [f"{a}{b}" for a, b in parts[at + 1 :]]
        opening, closing = "", ""
        if form == "json":
            self._want(Import("json"))
            opening, closing = "json.dumps(", ", ".join(["", *_FILLED]) + ")"
        before = f"{called}({', '.join([*first, lead])}{opening}"
        after = f"{', '.join([closing, *last])})"
        if len(indent) + len(before) + len(own) + len(after) <= LONGEST or "\n" in own:
            return before, after
        between = f",\n{indent}    "
        dumped = len(lead) + len(opening) + len(closing)
        if form == "json" and len(indent) + 4 + len(own) + (len("".join(last[-1:])) or dumped) > LONGEST:
            inner = f",\n{indent}        "
            opening, closing = f"json.dumps(\n{indent}        ", inner.join(["", *_FILLED]) + f",\n{indent}    )"
        before = f"{called}(\n{indent}    {between.join([*first, lead])}{opening}"
        return before, f"{between.join([closing, *last])},\n{indent})"

    # --- pieces ---

    def _call(self, operation: str, **fields: str) -> str:
        """Return a call of the provider's own client, its fields as source."""
        called, parts = self._parts(operation, **fields)
        return f"{called}({', '.join(f'{lead}{value}' for lead, value in parts)})"

    def _parts(self, operation: str, **fields: str | None) -> tuple[str, list[_Argument]]:
        """Return how the provider's own client is called for an operation, and with what."""
        client = self.source.operations.get(operation)
        if client is None or client.awaited or client.absent != "none" or client.root in self.source.hosts:
            raise _Bound
        parts: list[_Argument] = []
        for parameter in client.takes:
            name, _, default = parameter.partition("=")
            row = next((row for row in client.arguments.rows if row.at.root == name), None)
            if row is not None and row.field in fields:
                if not (row.lens.plain or row.lens.content == "either"):
                    raise _Bound
                parts.append((f"{name}=" if default else "", fields[row.field]))
            elif not default:
                raise _Bound
        return self._client(client), parts

    def _client(self, client: Client) -> str:
        group, _, rest = client.path.partition(".")
        there = self.file.imported()
        for own, one in there.items():
            if one.module == client.root and one.name == group:
                return f"{own}.{rest}" if rest else own
        wanted = Import(client.root, group)
        self._want(wanted)
        return f"{group}.{rest}" if rest else group

    def _want(self, one: Import) -> None:
        """Note an import that is needed; refuse where its name means something else."""
        there = self.file.imported()
        if one.bound in there and there[one.bound] == one:
            return
        if one.bound in there or one.bound in self.file.nodes.bound or one.bound in self.file.nodes.ids:
            raise _Bound
        self.wanted.add(one)

    def _keys(self, captured: Mapping[str, str]) -> str:
        if not captured:
            raise _Bound
        if is_request(self.kind):
            return self._place("captures")
        self._steady(captured)
        return f"{{{', '.join(f'{quoted(name)}: {text}' for name, text in captured.items())}}}"

    def _formatted(self, key: str, captured: Mapping[str, str]) -> str:
        """Return a key with what was captured, as source."""
        names = _captures_of(key)
        if not names:
            return quoted(key)
        if any(name not in captured for name, _ in names) or not key.isprintable() or set("\"'\\") & set(key):
            raise _Bound
        self._steady([name for name, _ in names])
        pieces = []
        for before, name, _, _ in string.Formatter().parse(key):
            pieces.append(before)
            if name is not None:
                text = captured[name.removesuffix("...")]
                pieces.append(f"{{{text.replace(chr(34), chr(39))}}}")
        return f'f"{"".join(pieces)}"'

    def _steady(self, names: Iterable[str]) -> None:
        """Refuse a name that the handler gives another value."""
        if self.kind == "object" and any(
            not isinstance(use.ctx, ast.Load) for n in names for use in self.nodes.uses(n)
        ):
            raise _Bound

    def _at_first(self, lines: Sequence[str]) -> Edit:
        """Return the edit that puts lines before all that the handler does."""
        made = at_first(self.text, self.node, lines, "binding")
        if made is None:
            raise _Bound
        return made


def _captures_of(pattern: str) -> list[tuple[str, bool]]:
    """Return the names in a pattern, and of each whether it takes the rest."""
    pieces = [piece.partition("}")[0] for piece in pattern.split("{")[1:]]
    made = [(piece.removesuffix("...").removesuffix("*").lstrip("+"), piece.endswith("...")) for piece in pieces]
    return [(name, rest) for name, rest in made if name]


def _regular(pattern: str) -> str:
    """Return the regular expression of a pattern of keys, as one would write it."""
    made = []
    for part in re.split(r"(\{\w*(?:\.\.\.)?\})", pattern):
        if not part.startswith("{"):
            if '"' in part or not part.isprintable():
                raise _Bound
            made.append(re.escape(part).replace("\\-", "-"))
            continue
        name = part[1:-1].removesuffix("...")
        some = (".+" if name else ".*") if part.endswith("...}") else "[^/]+"
        made.append(f"({some})" if name else some)
    return "".join(made)
