"""Methods that are handlers, exported as they are taken from an object: written as functions that call them.

    export const run = controller.handle.bind(controller);
    →    export const run = (event, ctx) => controller.handle(event, ctx);

    export const { read, write } = createHandlers(books);
    →    const handlers = createHandlers(books);
         export const read = (event, ctx) => handlers.read(event, ctx);
         export const write = (event, ctx) => handlers.write(event, ctx);

What comes out is followed as any other handler that calls functions of the project. It does the same where the object
never has another method under that name, and where the method is called on what it was bound to; one that is taken
from its object as it stands must not ask for that (`this`). Both are seen in what was written (`called`), and a file is
left as it was where they are not. `this.handle = this.handle.bind(this)` in a constructor goes, where nobody takes the
method from its object in another way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, is_typescript, parse_javascript
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import Function
from vast_ferry.mapping.javascript.names import free
from vast_ferry.translate.javascript.called import called_functions
from vast_ferry.translate.javascript.constructed import Made, class_around
from vast_ferry.translate.javascript.edits import Edit, Overlapping, applied, gone
from vast_ferry.translate.javascript.handlers import (
    Standing,
    exported,
    exported_value,
    function_around,
    takes_otherwise,
)
from vast_ferry.translate.javascript.linked import Linked
from vast_ferry.translate.javascript.looking import parameters_of
from vast_ferry.translate.javascript.registered import instance_of
from vast_ferry.translate.javascript.scopes import Scopes, within
from vast_ferry.translate.javascript.stops import Stop
from vast_ferry.translate.javascript.values import arguments_of, bare

#: How a function's name begins that makes something.
_MAKES = ("create", "make", "build", "new")
#: Returns the names of what a function is handed.
HandedOver = Callable[[Function], tuple[str, ...]]
#: A method, by the file in which it is taken from an object, the name of that, and its own.
Method = tuple[str, str, str]


def with_calls(
    files: Mapping[str, JavaScriptFile], functions: Iterable[Function], handed_over: HandedOver
) -> tuple[dict[str, JavaScriptFile], set[str]]:
    """Return the files that become others because handlers are methods, and which functions' handlers are."""
    wanted, takes = [*functions], dict[Method, int]()
    while wanted:
        own = _Calls(files, handed_over, takes)
        wanted = [one for one in wanted if own.write(one)]
        anew = own.written()
        known = own.seen_through(anew)
        wrong = {method[0] for method in own.methods if method not in known}
        if anew and not wrong and known == takes:
            return anew, {one.name for one in wanted}
        wanted = [one for one in wanted if anew and own.path_of[one.name] not in wrong]
        takes = {} if wrong else known
    return {}, set()


@dataclass(frozen=True, slots=True)
class _Taken:
    """A method that is taken from an object: where, of what, its name, and whether it is bound to that."""

    node: Node
    holder: Node
    method: str
    bound: bool


@dataclass(slots=True)
class _Unpacked:
    """A statement that takes several from an object by their names: what is made of those that are handlers."""

    pattern: Node
    holder: str  # its name
    before: str  # the statement that gives it that name, if one is needed
    handlers: dict[str, str] = field(default_factory=dict)  # own name → function


class _Calls:
    """The files of a project in which handlers that are methods become functions that call them.

    `takes` has how many parameters a method has, where that is known by now.
    """

    def __init__(
        self, files: Mapping[str, JavaScriptFile], handed_over: HandedOver, takes: Mapping[Method, int]
    ) -> None:
        self.before, self.handed_over, self.takes = files, handed_over, takes
        self._scopes: dict[int, Scopes] = {}
        self.edits: dict[str, dict[tuple[int, int], Edit]] = {}
        self.names: dict[tuple[str, int], str] = {}  # by file, and where it stands: the name of what is made
        self.unpacked: dict[tuple[str, int], _Unpacked] = {}
        self.methods: dict[Method, bool] = {}  # whether each is bound
        self.bound_when_made: set[tuple[str, str]] = set()  # classes, and the methods that their constructors bind
        self.path_of: dict[str, str] = {}

    def scopes_of(self, file: JavaScriptFile) -> Scopes:
        """Return the bindings of a file."""
        return self._scopes.setdefault(id(file), Scopes(file))

    # --- writing ---

    def write(self, one: Function) -> bool:
        """Write a function's handler as one that calls the method; tell whether it is one."""
        try:
            found = exported(one.entry, self.before, self.scopes_of)
        except Stop:
            return False
        value, names = exported_value(found), self.handed_over(one)
        self.path_of[one.name] = found.file.path
        if value is not None:
            at = Standing(found.file, found.scopes, value)
            return any([self._call(at, taken, names) for taken in _taken(at)])
        binding = found.scopes.at_top(found.own) if found.own else None
        return (
            binding is not None
            and len(binding.declared) == 1
            and self._of_pattern(Standing(found.file, found.scopes, binding.declared[0]), names)
        )

    def _call(self, at: Standing, taken: _Taken, names: tuple[str, ...]) -> bool:
        """Write one method that is taken from an object as a function that calls it there."""
        statement = _statement_at_top(taken.node)
        holder, before = self._holder(at, taken.holder)
        if not holder or holder in names or statement is None:
            return False
        if before:
            self._edit(at.file, Edit(statement.start_byte, statement.start_byte, before))
        text = self._function(at, holder, taken.method, names, bound=taken.bound)
        self._edit(at.file, Edit(taken.node.start_byte, taken.node.end_byte, text))
        self._without_binding(taken)
        return True

    def _of_pattern(self, name: Standing, names: tuple[str, ...]) -> bool:
        """Write a handler that is taken from an object together with others: `export const { run } = handlers`."""
        asked = name.node.parent if name.node.parent.type == "pair_pattern" else name.node
        pattern = asked.parent
        above = pattern.parent if pattern is not None and pattern.type == "object_pattern" else None
        if above is None or above.type != "variable_declarator" or len(above.parent.named_children) != 1:
            return False
        plain = ("shorthand_property_identifier_pattern", "pair_pattern")
        if any(one.type not in plain for one in pattern.named_children) or _statement_at_top(above) is None:
            return False
        if not all(_key_and_name(name.file, one) for one in pattern.named_children):
            return False
        holder, before = self._holder(name, above.child_by_field_name("value"))
        if not holder or holder in names:
            return False
        known = self.unpacked.setdefault((name.file.path, pattern.id), _Unpacked(pattern, holder, before))
        method, own = _key_and_name(name.file, asked)
        known.handlers[own] = self._function(name, holder, method, names, bound=False)
        return True

    def _holder(self, at: Standing, node: Node) -> tuple[str, str]:
        """Return the name of an object, and the statement that gives it one where it has none."""
        if node.type == "identifier":
            binding = at.scopes.of(node)
            known = binding is not None and not binding.writes and binding.scope.type == "program"
            return (at.file.text(node) if known else ""), ""
        key, statement = (at.file.path, node.id), _statement_at_top(node)
        if node.type not in ("new_expression", "call_expression") or statement is None:
            return "", ""
        if key not in self.names:
            called = node.child_by_field_name("constructor") or node.child_by_field_name("function")
            others = {name for (path, _), name in self.names.items() if path == at.file.path}
            self.names[key] = free(_name_of_made(at.file.text(called)), {*at.scopes.names, *others})
        ends = ";" * (at.file.text(statement)[-1:] == ";")
        return self.names[key], f"const {self.names[key]} = {at.file.text(node)}{ends}\n"

    def _function(self, at: Standing, holder: str, method: str, names: tuple[str, ...], *, bound: bool) -> str:
        key = (at.file.path, holder, method)
        self.methods[key] = bound and self.methods.get(key, True)
        names = names[: self.takes.get(key, len(names))]
        typed = ": any" * is_typescript(at.file)
        return f"({', '.join(f'{one}{typed}' for one in names)}) => {holder}.{method}({', '.join(names)})"

    def _edit(self, file: JavaScriptFile, edit: Edit) -> None:
        self.edits.setdefault(file.path, {})[edit.start, edit.end] = edit

    def _without_binding(self, taken: _Taken) -> None:
        """Take out of constructors what binds a method to its object, where nobody else takes it from there."""
        found: list[tuple[JavaScriptFile, Node]] = []
        for file in self.before.values():
            for one in file.of_types(file.root, ("member_expression",)):
                if file.text(one.child_by_field_name("property")) != taken.method or within(one, taken.node):
                    continue
                above = one.parent
                statement = above.parent if above.type == "assignment_expression" else above
                if file.text(statement).rstrip(";") == f"this.{taken.method} = this.{taken.method}.bind(this)":
                    found.append((file, statement))
                elif above.type == "call_expression" and above.child_by_field_name("function") == one:
                    continue  # it is called on what it is asked of
                elif not file.text(_outer(one)).startswith(f"this.{taken.method} = this.{taken.method}.bind(this)"):
                    return
        for file, statement in found:
            own = class_around(statement)
            named = own.child_by_field_name("name") if own is not None else None
            if named is not None and statement.type == "expression_statement":
                self._edit(file, gone(file, statement))
                self.bound_when_made.add((file.text(named), taken.method))

    # --- what was written ---

    def written(self) -> dict[str, JavaScriptFile]:
        """Return the files as they become; none where one would be no JavaScript."""
        for (path, _), one in self.unpacked.items():
            file = self.before[path]
            statement = _statement_at_top(one.pattern)
            assert statement is not None
            opens = "export " * (statement.type == "export_statement")
            ends = ";" * (file.text(statement)[-1:] == ";")
            lines = [one.before.rstrip("\n")] if one.before else []
            for part in one.pattern.named_children:
                method, own = _key_and_name(file, part)
                lines.append(f"{opens}const {own} = {one.handlers.get(own, f'{one.holder}.{method}')}{ends}")
            self._edit(file, Edit(statement.start_byte, statement.end_byte, "\n".join(lines)))
        made = {}
        try:
            for path, edits in self.edits.items():
                file = self.before[path]
                anew = parse_javascript(applied(file.content, edits.values()), path)
                made[path] = replace(anew, lines=_lines_of(file.content, edits.values()))
        except (BadInput, Overlapping):
            return {}
        return made

    def seen_through(self, anew: Mapping[str, JavaScriptFile]) -> dict[Method, int]:
        """Return how many parameters each method has that is called now, where it is seen which function that is."""
        files = {**self.before, **anew}
        function_of = Linked(files, self.scopes_of)
        known: dict[Method, int] = {}
        for (path, holder, method), bound in self.methods.items():
            file = files[path]
            calls = [
                one.child_by_field_name("function")
                for one in file.of_types(file.root, ("call_expression",))
                if one.parent.type == "arrow_function"
                and file.text(one.child_by_field_name("function")) == f"{holder}.{method}"
            ]
            at = Standing(file, self.scopes_of(file), calls[0]) if len(calls) == 1 else None
            found = called_functions(at.file, at.scopes, at.node, function_of) if at is not None else []
            if at is not None and found:
                kept = bound or self._is_bound_when_made(at, method, function_of)
                if kept or not any(map(_asks_for_this, found)):
                    plain = not any(map(takes_otherwise, found))
                    known[path, holder, method] = max(len(parameters_of(one.node)) for one in found) if plain else 99
        return known

    def _is_bound_when_made(self, called: Standing, method: str, function_of: Linked) -> bool:
        """Tell whether the object of which a method is called was made by a constructor that bound it."""
        made = instance_of(replace(called, node=called.node.child_by_field_name("object")))
        named = made.node.child_by_field_name("constructor") if made is not None else None
        known = Made.of(replace(called, node=named), function_of) if named is not None else None
        names = [(one.file, one.node.child_by_field_name("name")) for one in known.classes] if known is not None else []
        return any(name is not None and (file.text(name), method) in self.bound_when_made for file, name in names)


def _asks_for_this(one: Standing) -> bool:
    """Tell whether a method asks for what it is called on, which is another where it was taken from its object."""
    if one.node.type == "arrow_function":
        return False
    return any(function_around(inner) == one.node for inner in one.file.of_types(one.node, ("this", "super")))


def _taken(value: Standing) -> Iterator[_Taken]:
    """Yield the methods that an exported value is, or that functions are put around."""
    node = bare(value.node)
    if node.type == "member_expression":
        yield from _of_member(value.file, node, node, bound=False)
    elif node.type == "call_expression":
        called = node.child_by_field_name("function")
        if called.type == "member_expression" and value.file.text(called.child_by_field_name("property")) == "bind":
            asked, given = called.child_by_field_name("object"), arguments_of(node)
            to = value.file.text(given[0]) if len(given) == 1 and given[0].type == "identifier" else None
            if asked.type == "member_expression" and value.file.text(asked.child_by_field_name("object")) == to:
                yield from _of_member(value.file, asked, node, bound=True)
            return
        if called.type == "call_expression":
            yield from _taken(replace(value, node=called))
        for one in arguments_of(node):
            yield from _taken(replace(value, node=one))


def _of_member(file: JavaScriptFile, asked: Node, node: Node, *, bound: bool) -> Iterator[_Taken]:
    holder, name = asked.child_by_field_name("object"), file.text(asked.child_by_field_name("property"))
    if holder.type in ("identifier", "new_expression", "call_expression") and not name.startswith("#"):
        yield _Taken(node, holder, name, bound)


def _statement_at_top(node: Node) -> Node | None:
    """Return the statement of its file's top in which a node stands, where that is worked out when the file is."""
    while node.parent is not None and node.parent.type != "program":
        node = node.parent
    plain = ("lexical_declaration", "variable_declaration", "export_statement", "expression_statement")
    return node if node.parent is not None and node.type in plain else None


def _outer(node: Node) -> Node:
    """Return the statement in which a node stands."""
    while node.parent is not None and not node.type.endswith("statement"):
        node = node.parent
    return node


def _key_and_name(file: JavaScriptFile, part: Node) -> tuple[str, str]:
    """Return the name that a part of a pattern takes, and its own; nothing where one is no plain name."""
    if part.type != "pair_pattern":
        return file.text(part), file.text(part)
    key, value = part.child_by_field_name("key"), part.child_by_field_name("value")
    plain = key.type == "property_identifier" and value.type == "identifier"
    return (file.text(key), file.text(value)) if plain else ("", "")


def _name_of_made(called: str) -> str:
    """Return a name for what a function, or a constructor, makes."""
    last = called.rpartition(".")[2]
    begins = next((one for one in _MAKES if last.startswith(one) and last[len(one) :][:1].isupper()), "")
    last = last[len(begins) :]
    return f"{last[:1].lower()}{last[1:]}" if (begins or last[:1].isupper()) and last.isidentifier() else "made"


def _lines_of(content: bytes, edits: Iterable[Edit]) -> tuple[int, ...]:
    """Return for each line of a file with edits which of the author's lines it was, or stands at."""
    lines, at, line = [1], 0, 1
    for edit in sorted(edits, key=lambda one: (one.start, one.end > one.start)):
        for _ in range(content.count(b"\n", at, edit.start)):
            line += 1
            lines.append(line)
        lines += [line] * edit.text.count("\n")
        line += content.count(b"\n", edit.start, edit.end)
        lines[-1] = line if edit.end > edit.start and not edit.text else lines[-1]
        at = edit.end
    for _ in range(content.count(b"\n", at)):
        line += 1
        lines.append(line)
    return tuple(lines)
