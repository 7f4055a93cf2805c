"""Which function of a file a handler is, and whether it stands there plainly: nobody else calls it or hands it on."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final, Protocol

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, linked_file, walk
from vast_ferry.hub.functions import Entry
from vast_ferry.mapping.delivery import keeps_ids
from vast_ferry.mapping.javascript.functions import there
from vast_ferry.mapping.tables import Kind
from vast_ferry.translate.javascript.scopes import FUNCTIONS, Scopes, within
from vast_ferry.translate.javascript.stops import Stop
from vast_ferry.translate.javascript.values import arguments_of, bare, own_nodes

#: What a class is declared by.
CLASSES: Final = ("class_declaration", "abstract_class_declaration", "class")
#: Functions that stand where a value does.
PLAIN_FUNCTIONS: Final = ("arrow_function", "function_expression")
_DECLARED: Final = ("function_declaration", "generator_function_declaration")


def not_turned(ours: Kind, theirs: Kind, titles: tuple[str, str], *, may_throw: bool) -> str:
    """Return why a handler's answers are turned by a shim alone, if they are; `may_throw` what counts as one."""
    if ours.method or theirs.method:
        return f"handlers are classes at {titles[0 if ours.method else 1]}"
    for kind, title in ((ours, titles[0]), (theirs, titles[1])):
        if kind.answers_through_event or kind.event.tells_more:
            return f"one thing tells of the event and of the call, or is answered through, at {title}"
    if may_throw and any(form.raised for form in ours.answered.forms):
        return f"what is thrown may be an answer at {titles[0]}"
    if theirs.answered.written.raised:
        return f"an answer has to be thrown at {titles[1]}, which the handler might catch"
    by_name = any(
        one.again_by or one.again_with or one.again_name is not None for one in (ours.answered, theirs.answered)
    )
    keeps = keeps_ids(ours.event) or not ours.answered.holds_again
    return "" if keeps and not by_name else "what comes again is named by more than the event's id"


@dataclass(frozen=True, slots=True)
class Standing:
    """A handler's function, and the file in which it stands."""

    file: JavaScriptFile
    scopes: Scopes
    node: Node


class FunctionOf(Protocol):
    """Returns the function of the project, or the class, that a name stands for, where it is never another.

    `calls_of` has every call of a function of a file's top, none where it may be used in another way; `heirs` a class
    and those that inherit from it, nothing where there may be others; `is_put` tells whether something is put under a
    name into an object that may be one of a file's.
    """

    def __call__(
        self, file: JavaScriptFile, scopes: Scopes, name: Node, *, of_class: bool = False
    ) -> Standing | None: ...

    def calls_of(self, function: Standing) -> list[Standing]: ...

    def heirs(self, own: Standing) -> list[Standing] | None: ...

    def is_put(self, name: str, file: JavaScriptFile) -> bool: ...


#: How to have the scopes of a file.
ScopesOf = Callable[[JavaScriptFile], Scopes]


@dataclass(frozen=True, slots=True)
class Exported:
    """What an entry is, behind the names that files give it: its file, its name there as it is exported, its own.

    `passing` are the files that only pass it on, and the last one, with the names under which they export it.
    """

    file: JavaScriptFile
    scopes: Scopes
    name: str
    own: str | None
    passing: Mapping[str, set[str]]


def exported(entry: Entry, files: Mapping[str, JavaScriptFile], scopes_of: ScopesOf) -> Exported:
    """Return what stands behind an entry; raises Stop where that can't be seen.

    Other names of it are followed: those that the file gives it, and files that only pass it on.
    """
    passing: dict[str, set[str]] = {}  # file → the names under which it exports the handler
    path, name = entry.file, entry.name
    while True:
        file = files.get(path)
        if file is None:
            raise Stop("its file could not be read")
        if path in passing:
            raise Stop("its files pass it on to each other")
        scopes = scopes_of(file)
        if scopes.blind:
            raise Stop("its file may bind names that nobody sees (eval, or with)")
        _asked_by_none_here(name, file)
        own = _plain_name(file.exports.get(name), file, scopes)
        passing[path] = {name, *(one for one, inner in file.exports.items() if own and _leads_to(inner, own, scopes))}
        there = _passed_on(name, own, file, scopes, files)
        if there is None:
            return Exported(file, scopes, name, own, passing)
        path, name = there


def handler_of(entry: Entry, files: Mapping[str, JavaScriptFile], scopes_of: ScopesOf) -> Standing:
    """Return what an entry is, a function or a call that may give one; raises Stop where it stands there otherwise."""
    found = exported(entry, files, scopes_of)
    node = exported_value(found)
    if node is None or not (_is_function(node) or node.type == "call_expression"):
        raise Stop("what it exports is no function that stands there")
    others = [other for at, other in files.items() if at not in found.passing]
    if any(_may_call(other, at, names) for other in others for at, names in found.passing.items()):
        raise Stop("it may be called by another file")
    return Standing(found.file, found.scopes, node)


def exported_value(found: Exported) -> Node | None:
    """Return the expression, or declaration, that is exported, where it is always the same."""
    return _exported_value(found.file, found.scopes, found.name, found.own)


def asks_for_no_more(stands: Standing, *, on_its_object: bool = False) -> None:
    """Raise Stop where a function asks for more than its parameters; `on_its_object` where it stays a method."""
    node, file, scopes = stands.node, stands.file, stands.scopes
    own_name = node.child_by_field_name("name") if node.type == "function_expression" else None
    binding = scopes.of(own_name) if own_name is not None else None
    if binding is not None and binding.uses:
        raise Stop("it calls itself, or looks at itself", binding.uses[0])
    for inner in file.of_types(node, ("identifier", "this", "super")):
        if inner.type == "identifier" and file.text(inner) == "arguments":
            raise Stop("it asks for its arguments without their names", inner)
        if (
            not on_its_object
            and inner.type in ("this", "super")
            and node.type != "arrow_function"
            and function_around(inner) == node
        ):
            raise Stop("it asks for what it is called on", inner)
    if any(child.type == "*" for child in node.children):
        raise Stop("it is a generator", node)


def _plain_name(own: str | None, file: JavaScriptFile, scopes: Scopes) -> str | None:
    """Return the last of the names by which a file knows what it exports: `const run = weigh`.

    Raises Stop where one of them is used in another way than to export it.
    """
    seen: set[str] = set()
    while own and own not in seen:
        seen.add(own)
        binding = scopes.at_top(own)
        if binding is None:
            return own
        given = [one for one in binding.uses if _is_given_name(one)]
        uses = [one for one in binding.uses if not (one in given or is_export(file, one) or _in_clause(one))]
        if uses or binding.writes or len(given) > 1:
            raise Stop("it is called or handed on by other code", (uses or binding.writes or given)[0])
        if given and file.text(given[0].parent.child_by_field_name("name")) not in seen:
            raise Stop("it is called or handed on by other code", given[0])
        above = binding.declared[0].parent
        value = above.child_by_field_name("value") if above.type == "variable_declarator" else None
        if len(binding.declared) != 1 or value is None or value.type != "identifier" or binding.kind != "const":
            return own
        own = file.text(value)
    return own


def _is_given_name(use: Node) -> bool:
    """Tell whether a use only gives it another name at the file's top: `const run = weigh`."""
    above = use.parent
    if above.type != "variable_declarator" or above.child_by_field_name("value") != use:
        return False
    top = above.parent.parent
    return bool(top.type == "program" or (top.type == "export_statement" and top.parent.type == "program"))


def _in_clause(use: Node) -> bool:
    return bool(use.parent.type == "export_specifier")


def _passed_on(
    name: str, own: str | None, file: JavaScriptFile, scopes: Scopes, files: Mapping[str, JavaScriptFile]
) -> tuple[str, str] | None:
    """Return the file, and the name there, of what a file has from another and only passes on."""
    binding = scopes.at_top(own) if own else None
    for link in file.links:
        given = link.passed.get(name) or (link.names.get(own) if own and binding and binding.kind == "import" else None)
        there = linked_file(file.path, link.module, files) if given else ""
        if given and given != "*" and there:
            return there, given
    return None


def _asked_by_none_here(name: str, file: JavaScriptFile) -> None:
    """Raise Stop where a file uses what it exports under a name by `exports`."""
    for inner in file.of_types(file.root, ("member_expression",)):
        if file.text(inner) in (f"exports.{name}", f"module.exports.{name}"):
            above = inner.parent
            if above.type != "assignment_expression" or above.child_by_field_name("left") != inner:
                raise Stop("it is called or handed on by other code", inner)


def _leads_to(name: str, own: str, scopes: Scopes) -> bool:
    """Tell whether a name of a file's top is another name for what `own` is."""
    for _ in range(len(scopes.file.exports) + 1):
        binding = scopes.at_top(name)
        if name == own or binding is None or len(binding.declared) != 1:
            break
        above = binding.declared[0].parent
        value = above.child_by_field_name("value") if above.type == "variable_declarator" else None
        if value is None or value.type != "identifier":
            break
        name = scopes.file.text(value)
    return name == own


def _may_call(other: JavaScriptFile, path: str, names: set[str]) -> bool:
    """Tell whether a file has one of some names of another, or all of it: by a link that leads there, or may."""
    stem = path.rpartition("/")[2].partition(".")[0]
    for link in other.links:
        last = link.module.rpartition("/")[2].partition(".")[0]
        may = linked_file(other.path, link.module, (path,)) == path or last in (stem, "", "index")
        if link.module.startswith(".") and may and {*names, "*"} & {*link.names.values(), *link.passed.values()}:
            return True
    return False


def function_around(node: Node) -> Node:
    above = node.parent
    while above.type not in FUNCTIONS or above.type == "arrow_function":
        if above.parent is None:
            return above
        above = above.parent
    return above


def is_export(file: JavaScriptFile, use: Node) -> bool:
    """Tell whether a use of a name only exports it: `exports.run = run`, `module.exports = { run }`."""
    above = use.parent
    if above.type in ("object", "pair"):
        above = above.parent if above.type == "object" else above.parent.parent
    elif use.type == "shorthand_property_identifier":
        above = above.parent
    if above.type == "assignment_expression":
        left = file.text(above.child_by_field_name("left"))
        while above.parent.type == "assignment_expression":  # exports.one = exports.other = run
            above = above.parent
        return bool(left.startswith(("exports.", "module.exports")) and above.parent.parent.type == "program")
    return bool(above.type == "export_statement")


def exported_declared(
    file: JavaScriptFile, scopes: Scopes, name: str, own: str | None, *, of_class: bool = False
) -> Node | None:
    """Return the function behind an exported name, or the class."""
    found = _exported_value(file, scopes, name, own)
    known = found is not None and (is_class(found) if of_class else _is_function(found))
    return found if known else None


def is_class(node: Node) -> bool:
    """Tell whether a node is a class."""
    return node.type in CLASSES


def _is_function(node: Node) -> bool:
    return node.type in (*PLAIN_FUNCTIONS, *_DECLARED, "generator_function", "method_definition")


def _exported_value(file: JavaScriptFile, scopes: Scopes, name: str, own: str | None) -> Node | None:
    """Return what stands behind an exported name, where that is always the same."""
    if own:
        binding = scopes.at_top(own)
        if binding is None or len(binding.declared) != 1:
            return None
        return None if binding.writes else _value_at(binding.declared[0])
    for statement in file.root.named_children:
        if name == "default" and statement.type == "export_statement":
            value = statement.child_by_field_name("value") or statement.child_by_field_name("declaration")
            if value is not None and any(child.type == "default" for child in statement.children):
                return value
        inside = statement.named_children[:1] if statement.type == "expression_statement" else []
        if inside and inside[0].type == "assignment_expression":
            found = _assigned(file, inside[0], name)
            if found is not None:
                return found
    return None


def _value_at(name: Node) -> Node | None:
    """Return what is declared under a name."""
    above = name.parent
    if above.type in _DECLARED or (is_class(above) and above.child_by_field_name("name") == name):
        return above
    return above.child_by_field_name("value") if above.type == "variable_declarator" else None


def function_at(name: Node) -> Node | None:
    """Return the function that is declared under a name."""
    found = _value_at(name)
    return found if found is not None and _is_function(found) else None


def class_at(name: Node) -> Node | None:
    """Return the class that is declared under a name."""
    found = _value_at(name)
    return found if found is not None and is_class(found) else None


def _assigned(file: JavaScriptFile, node: Node, name: str) -> Node | None:
    left, right = file.text(node.child_by_field_name("left")), node.child_by_field_name("right")
    if left in (f"exports.{name}", f"module.exports.{name}"):
        return right
    if left == "module.exports" and right.type == "object":
        for pair in right.named_children:
            if pair.type == "pair" and file.text(pair.child_by_field_name("key")).strip("\"'") == name:
                return pair.child_by_field_name("value")
            if pair.type == "method_definition" and file.text(pair.child_by_field_name("name")) == name:
                return None if any(child.type in ("get", "set") for child in pair.children) else pair
    return None


def handed_over(kind: Kind) -> tuple[str, ...]:
    """Return the names of what a provider hands a handler over, what is answered through among it."""
    handed, writer = there(kind.event).handed_over, kind.answered.writer
    return tuple(writer.among(handed) if writer is not None else handed)


def one_answer(function: Node) -> Node | None:
    """Return the one expression that a function gives back; nothing where there are several, or none."""
    body = function.child_by_field_name("body")
    values = [body]
    if body.type == "statement_block":
        returns = [one for one in own_nodes(body) if one.type == "return_statement"]
        values = [inside for one in returns for inside in one.named_children[:1]]
    return bare(values[0]) if len(values) == 1 else None


def given_back(stands: Standing) -> Node | None:
    """Return the function that a function gives back, whatever it is handed; nothing where that can't be seen."""
    node, scopes = stands.node, stands.scopes
    value = one_answer(node)
    if value is None:
        return None
    if value.type == "identifier":
        binding = scopes.of(value)
        if binding is None or binding.writes or len(binding.declared) != 1 or binding.uses != [value]:
            return None
        found = function_at(binding.declared[0])
        value = found if found is not None and within(found, node) else value
    known = value.type in PLAIN_FUNCTIONS or value.type == "function_declaration"
    return value if known else None


def name_at_top(function: Node) -> Node | None:
    """Return the name of a function that is declared at its file's top, be it exported there or not."""
    declared = function if function.type == "function_declaration" else function.parent
    if declared.type not in ("function_declaration", "variable_declarator"):
        return None
    statement = declared if declared.type == "function_declaration" else declared.parent
    above = statement.parent.parent if statement.parent.type == "export_statement" else statement.parent
    name: Node | None = declared.child_by_field_name("name")
    return name if above.type == "program" and name is not None and name.type == "identifier" else None


def given_to_all(file: JavaScriptFile, scopes: Scopes, function: Node) -> list[list[Node]]:
    """Return what each call of a function of the file's top hands it; nothing where not every call can be seen."""
    named = name_at_top(function)
    own = scopes.of(named) if named is not None else None
    if own is None or own.writes or own.name in file.exports.values():
        return []
    every = []
    for use in own.uses:
        call = use.parent
        if call.type != "call_expression" or call.child_by_field_name("function") != use:
            return []
        given = arguments_of(call)
        if any(one.type == "spread_element" for one in given):
            return []
        every.append(given)
    return every


def is_called(use: Node) -> bool:
    """Tell whether a use of a function only calls it."""
    above = use.parent
    return bool(above.type == "call_expression" and above.child_by_field_name("function") == use)


def takes_otherwise(stands: Standing) -> bool:
    """Tell whether a function may take its arguments without their names."""
    return any(one.type == "identifier" and stands.file.text(one) == "arguments" for one in walk(stands.node))
