"""Functions around handlers, which several handlers share: each is rewritten once, or as often as it has to differ.

One that only rewritten handlers are put into, all to the same effect, is rewritten where it stands. Where others use it
as well, it stays for them, and what the rewritten ones need stands behind it under a name of its own.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, linked_file
from vast_ferry.translate.javascript.around import declaration_of
from vast_ferry.translate.javascript.edits import Edit, applied, import_of
from vast_ferry.translate.javascript.handlers import ScopesOf, Standing, is_export
from vast_ferry.translate.javascript.looking import asks_for_names
from vast_ferry.translate.javascript.signature import Handler


@dataclass(slots=True)
class _Variant:
    """One way in which a function around handlers is rewritten, and where it is called for that."""

    edits: list[Edit]
    called: list[tuple[Standing, Node]] = field(default_factory=list)


@dataclass(slots=True)
class Around:
    """The functions around rewritten handlers, and what becomes of them."""

    files: Mapping[str, JavaScriptFile]
    scopes_of: ScopesOf
    _owners: dict[tuple[str, int], Standing] = field(default_factory=dict)
    _variants: dict[tuple[str, int], list[_Variant]] = field(default_factory=dict)

    def take(self, made: Handler) -> None:
        """Take note of a function around a handler that was rewritten."""
        maker, called_in = made.layer.maker, made.layer.called_in
        assert maker is not None
        assert called_in is not None
        at = maker.owner.file.path, maker.owner.node.start_byte
        self._owners[at] = maker.owner
        every = self._variants.setdefault(at, [])
        edits = made.every_edit()
        found = next((one for one in every if one.edits == edits), None)
        if found is None:
            found = _Variant(edits)
            every.append(found)
        found.called += [(called_in, one) for one in (maker.named, *maker.beside)]

    def edits(self, others: Mapping[str, list[Edit]]) -> list[tuple[str, Edit]]:
        """Return the edits by file: of the functions themselves, and where others than before are called.

        `others` are those of the handlers: a function stays as it was where it is still called in what they leave.
        """
        gone = {path: [one for one in edits if one.end > one.start] for path, edits in others.items()}
        stay = dict.fromkeys(self._variants)
        while True:
            anew = [at for at in stay if not self._stays(at, gone)]
            if not anew:
                break
            for at in anew:
                del stay[at]
                gone.setdefault(at[0], []).extend(one for one in self._variants[at][0].edits if one.end > one.start)
        made = []
        for at, variants in self._variants.items():
            for number, one in enumerate(variants):
                if number == 0 and at not in stay:
                    made += [(at[0], edit) for edit in one.edits]
                else:
                    made += self._beside(self._owners[at], one, number + 1 + (at in stay))
        return made

    def _stays(self, at: tuple[str, int], gone: Mapping[str, list[Edit]]) -> bool:
        """Tell whether somebody still calls a function as it was."""
        called = {node.id for one in self._variants[at] for _, node in one.called}
        return any(
            node.id not in called
            and not asks_for_names(node)
            and not any(one.start <= node.start_byte and node.end_byte <= one.end for one in gone.get(path, ()))
            for path, node in self._uses(self._owners[at])
        )

    def _beside(self, owner: Standing, variant: _Variant, number: int) -> Iterator[tuple[str, Edit]]:
        """Yield what puts a variant behind the function that it is one of, and calls it instead."""
        file, statement = owner.file, declaration_of(owner.node)
        name = owner.node.child_by_field_name("name") or owner.node.parent.child_by_field_name("name")
        own = file.text(name)
        taken = {one for path in self.files for one in self.scopes_of(self.files[path]).names}
        number = max(number, 2)
        while f"{own}{number}" in taken:
            number += 1
        new = f"{own}{number}"
        start, end = statement.start_byte, statement.end_byte
        named = Edit(name.start_byte, name.end_byte, new)
        moved = [Edit(one.start - start, one.end - start, one.text) for one in (*variant.edits, named)]
        text = applied(file.content[start:end], moved).decode("utf-8", "replace")
        yield file.path, Edit(end, end, f"\n\n{text}")
        elsewhere = {at.file.path: at.file for at, _ in variant.called if at.file.path != file.path}
        if elsewhere and statement.type != "export_statement":
            last = len(file.content.rstrip())
            told = f"export {{ {new} }};" if file.esm else f"module.exports.{new} = {new};"
            yield file.path, Edit(last, last, f"\n\n{told}")
        for node, path in {node.id: (node, at.file.path) for at, node in variant.called}.values():
            called = node.child_by_field_name("property") if node.type == "member_expression" else node
            yield path, Edit(called.start_byte, called.end_byte, new)
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
        if plain and {one.id for one in binding.uses} <= {one.id for one in named}:
            return Edit(declared.start_byte, declared.end_byte, new)
        module = next(one.module for one in there.links if linked_file(there.path, one.module, self.files) == path)
        return import_of(there, [new], module)

    def _uses(self, owner: Standing) -> Iterator[tuple[str, Node]]:
        """Yield where a function of a file's top is used, in whatever file."""
        file, scopes = owner.file, owner.scopes
        name = owner.node.child_by_field_name("name") or owner.node.parent.child_by_field_name("name")
        binding = scopes.of(name)
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
