"""Functions around handlers, which several handlers share: each is rewritten once, or as often as it has to differ.

One that only rewritten handlers are put into, all to the same effect, is rewritten where it stands. Where others use it
as well, it stays for them, and what the rewritten ones need stands behind it under a name of its own.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, linked_file, string_of
from vast_ferry.translate.javascript.around import declaration_of
from vast_ferry.translate.javascript.edits import Edit, applied, import_of
from vast_ferry.translate.javascript.handlers import ScopesOf, Standing, is_called, is_export
from vast_ferry.translate.javascript.looking import asks_for_names
from vast_ferry.translate.javascript.scopes import within
from vast_ferry.translate.javascript.signature import Effect, Handler
from vast_ferry.translate.javascript.values import indent_of, only_value


@dataclass(slots=True, eq=False)
class Variant:
    """One way in which a function around handlers is rewritten, and where it is called for that."""

    edits: list[Edit]
    effect: Effect
    called: list[tuple[Standing, Node]] = field(default_factory=list)
    calls: dict[int, Variant] = field(default_factory=dict)  # what it calls of others, by where it names them
    name: str = ""  # what it is called in the end, where that is not its own name


@dataclass(slots=True)
class Around:
    """The functions around rewritten handlers, and what becomes of them."""

    files: Mapping[str, JavaScriptFile]
    scopes_of: ScopesOf
    _owners: dict[tuple[str, int], Standing] = field(default_factory=dict)
    _variants: dict[tuple[str, int], list[Variant]] = field(default_factory=dict)

    def take(self, made: Handler, by: Variant | None) -> Variant:
        """Take note of a function around a handler that was rewritten, or of one that another of them calls, `by`."""
        maker, called_in = made.layer.maker, made.layer.called_in
        assert maker is not None
        assert called_in is not None
        at = maker.owner.file.path, maker.owner.node.start_byte
        self._owners[at] = maker.owner
        every = self._variants.setdefault(at, [])
        effect, named = made.effect(), (maker.named, *maker.beside)
        found = next((one for one in every if one.effect == effect), None)
        if found is None:
            found = Variant([*effect.edits], effect)
            every.append(found)
        found.called += [(called_in, one) for one in named]
        if by is not None:
            by.calls |= {one.id: found for one in named}
        return found

    def edits(self, others: Mapping[str, list[Edit]]) -> list[tuple[str, Edit]]:
        """Return the edits by file: of the functions themselves, and where others than before are called.

        `others` are those of the handlers: a function stays as it was where it is still called in what they leave.
        """
        gone = {path: [one for one in edits if one.end > one.start] for path, edits in others.items()}
        stay = dict.fromkeys(self._variants)
        while True:
            anew = [at for at in stay if not self._stays(at, gone, stay)]
            if not anew:
                break
            for at in anew:
                del stay[at]
                gone.setdefault(at[0], []).extend(one for one in self._variants[at][0].edits if one.end > one.start)
        self._give_names(stay)
        made: list[tuple[str, Edit]] = []
        for at, variants in self._variants.items():
            for one in variants:
                edits = [*one.edits, *_renamed(one, declaration_of(self._owners[at].node))]
                if one.name:
                    made += self._beside(self._owners[at], one, edits)
                else:
                    made += [(at[0], edit) for edit in edits]
        return made

    def _stays(self, at: tuple[str, int], gone: Mapping[str, list[Edit]], stay: Mapping[tuple[str, int], None]) -> bool:
        """Tell whether somebody still calls a function as it was."""
        called = {node.id for one in self._variants[at] for _, node in one.called}
        for path, node in self._uses(self._owners[at]):
            above = self._owner_around(path, node)
            if above is not None and node.id in called:
                # It stands in a function that may come to stand several times, or be kept as it was.
                called_as_it_was = above in stay or any(node.id not in one.calls for one in self._variants[above])
                if called_as_it_was:
                    return True
            elif (
                node.id not in called
                and not asks_for_names(node)
                and not any(one.start <= node.start_byte and node.end_byte <= one.end for one in gone.get(path, ()))
            ):
                return True
        return False

    def _owner_around(self, path: str, node: Node) -> tuple[str, int] | None:
        """Return the function around handlers in whose statement a node stands."""
        return next(
            (at for at, owner in self._owners.items() if at[0] == path and within(node, declaration_of(owner.node))),
            None,
        )

    def _give_names(self, stay: Mapping[tuple[str, int], None]) -> None:
        """Give names to those that stand beside the function that they are one of."""
        taken = {one for file in self.files.values() for one in self.scopes_of(file).names}
        methods = {at[0] for at, owner in self._owners.items() if owner.node.type == "method_definition"}
        parts = ("property_identifier", "private_property_identifier")
        taken |= {
            file.text(one) for file in map(self.files.get, methods) if file for one in file.of_types(file.root, parts)
        }
        for at, variants in self._variants.items():
            own = self._owners[at].file.text(_name_of(self._owners[at].node))
            for one in variants if at in stay else variants[1:]:
                number = 2
                while f"{own}{number}" in taken:
                    number += 1
                one.name = f"{own}{number}"
                taken.add(one.name)

    def _beside(self, owner: Standing, variant: Variant, edits: list[Edit]) -> Iterator[tuple[str, Edit]]:
        """Yield what puts a variant behind the function that it is one of, and calls it instead."""
        file, statement, new = owner.file, declaration_of(owner.node), variant.name
        name = _name_of(owner.node)
        start, end = statement.start_byte, statement.end_byte
        named = Edit(name.start_byte, name.end_byte, new)
        moved = [Edit(one.start - start, one.end - start, one.text) for one in (*edits, named)]
        text = applied(file.content[start:end], moved).decode("utf-8", "replace")
        of_class = owner.node.type == "method_definition"
        yield file.path, Edit(end, end, f"\n\n{indent_of(file, statement) if of_class else ''}{text}")
        elsewhere = {at.file.path: at.file for at, _ in variant.called if at.file.path != file.path and not of_class}
        if elsewhere and statement.type != "export_statement":
            last = len(file.content.rstrip())
            told = f"export {{ {new} }};" if file.esm else f"module.exports.{new} = {new};"
            yield file.path, Edit(last, last, f"\n\n{told}")
        for node, path in {node.id: (node, at.file.path) for at, node in variant.called}.values():
            if self._owner_around(path, node) is None:
                yield path, _named(node, new)
        for path, there in elsewhere.items():
            by_name = [node for at, node in variant.called if at.file.path == path and node.type == "identifier"]
            if by_name:
                yield path, self._import_of(there, by_name, file.path, new)

    def _import_of(self, there: JavaScriptFile, named: list[Node], path: str, new: str) -> Edit:
        """Return what imports a variant: in place of the function it is one of, where nothing else there uses that."""
        binding = self.scopes_of(there).of(named[0])
        assert binding is not None
        declared = binding.declared[0]
        plain = declared.type == "shorthand_property_identifier_pattern" or (
            declared.parent.type == "import_specifier" and declared.parent.child_by_field_name("alias") is None
        )
        alone = all(self._owner_around(there.path, one) is None for one in named)
        if plain and alone and {one.id for one in binding.uses} <= {one.id for one in named}:
            return Edit(declared.start_byte, declared.end_byte, new)
        module = next(one.module for one in there.links if linked_file(there.path, one.module, self.files) == path)
        return import_of(there, [new], module)

    def _uses(self, owner: Standing) -> Iterator[tuple[str, Node]]:
        """Yield where a function of a file's top is used, in whatever file."""
        file, scopes = owner.file, owner.scopes
        if owner.node.type == "method_definition":
            yield from self._uses_of_method(file.text(_name_of(owner.node)))
            return
        binding = scopes.of(_name_of(owner.node))
        assert binding is not None
        for use in binding.uses:
            if not is_export(file, use) and use.parent.type != "export_specifier":
                yield file.path, use
        names = {there for there, own in file.exports.items() if own == binding.name}
        for path, other in self.files.items():
            for link in other.links:
                if linked_file(path, link.module, self.files) == file.path:
                    yield from ((path, use) for use in self._uses_by(other, link.names, names))
                    if names & {*link.passed.values()} or "*" in link.passed.values():
                        yield path, link.text

    def _uses_of_method(self, name: str) -> Iterator[tuple[str, Node]]:
        """Yield where an object, of whatever class, is asked for what it has under a name, or perhaps under that."""
        for path, file in self.files.items():
            scopes = self.scopes_of(file)
            for one in file.of_types(file.root, ("member_expression", "subscript_expression")):
                part = one.child_by_field_name("property")
                asked = file.text(part) == name if part is not None else _may_ask_for(Standing(file, scopes, one), name)
                if asked:
                    yield path, one

    def _uses_by(self, file: JavaScriptFile, taken: Mapping[str, str], names: set[str]) -> Iterator[Node]:
        """Yield the uses in a file of what it takes from another under some names."""
        scopes = self.scopes_of(file)
        for own, there in taken.items():
            binding = scopes.at_top(own)
            for use in binding.uses if binding is not None else ():
                above = use.parent
                asked = above.type == "member_expression" and above.child_by_field_name("object") == use
                if there in names or (there == "*" and not asked):
                    yield use
                elif there == "*" and file.text(above.child_by_field_name("property")) in names:
                    yield above


def _may_ask_for(asked: Standing, name: str) -> bool:
    """Tell whether an object with methods may be asked for one of a name by `held[key]`."""
    index, held = asked.node.child_by_field_name("index"), asked.node.child_by_field_name("object")
    if (told := string_of(asked.file, index)) is not None:
        return told == name
    made = only_value(asked.scopes, held) if held.type == "identifier" else None
    own = held.type == "this" or (made is not None and made.type in ("new_expression", "call_expression"))
    return index.type != "number" and (own or is_called(asked.node))


def _name_of(function: Node) -> Node:
    return function.child_by_field_name("name") or function.parent.child_by_field_name("name")


def _named(node: Node, new: str) -> Edit:
    """Return what calls another function where one is named."""
    called = node.child_by_field_name("property") if node.type == "member_expression" else node
    return Edit(called.start_byte, called.end_byte, new)


def _renamed(variant: Variant, statement: Node) -> list[Edit]:
    """Return what lets a variant, in its statement, call others that stand beside what it called."""
    named = {node.id: node for one in variant.calls.values() for _, node in one.called}
    renamed = [(named[at], one.name) for at, one in variant.calls.items() if one.name]
    return [_named(node, name) for node, name in renamed if within(node, statement)]
