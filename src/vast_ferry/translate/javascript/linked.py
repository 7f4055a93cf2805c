"""Which function or class of the project a name stands for, across its files, and what all of them do with a class.

A name stands for what its file declares under it, or for what another file of the project exports; nothing is known
where somebody may give it another value: an export that is assigned to twice, a module that is handed on as a whole.
What a class's methods are is only known where every use of the class, in every file, is seen: it is made (`new`),
inherited from, asked for (`instanceof`), or named as a type.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, linked_file
from vast_ferry.translate.javascript.constructed import class_around
from vast_ferry.translate.javascript.handlers import (
    ScopesOf,
    Standing,
    class_at,
    exported_declared,
    function_at,
    is_called,
    is_export,
    name_at_top,
)
from vast_ferry.translate.javascript.scopes import Binding, Scopes, is_written, within

_EXPORTS: Final = ("exports", "module.exports")
#: What a class may be used for, by the node around its name, that leaves its methods as they are.
_KEEPS: Final = ("new_expression", "class_heritage", "extends_clause", "binary_expression", "export_specifier")


@dataclass(slots=True)
class Linked:
    """The functions and classes of a project's files; called, it is what `FunctionOf` says."""

    files: Mapping[str, JavaScriptFile]
    scopes_of: ScopesOf
    _others: dict[tuple[str, str], bool] = field(default_factory=dict)  # exports that somebody may give another value
    _uses: dict[tuple[str, int], list[Standing] | None] = field(default_factory=dict)
    _calls: dict[tuple[str, int], list[Standing]] = field(default_factory=dict)
    _put: dict[str, set[str]] = field(default_factory=dict)  # by file, the names under which something is put near it
    _beside: dict[str, set[str]] = field(default_factory=dict)  # by file, those that it links to, or that link to it

    def __call__(self, file: JavaScriptFile, scopes: Scopes, name: Node, *, of_class: bool = False) -> Standing | None:
        """Return the function, or class, that a name or a part of a module always stands for, if there is one."""
        if name.type == "member_expression":
            holder, part = name.child_by_field_name("object"), file.text(name.child_by_field_name("property"))
            whole = self._linked(file, scopes, holder) if holder.type == "identifier" else None
            known = whole is not None and whole[1] == "*"
            return self._exported(whole[0], part, of_class=of_class) if whole is not None and known else None
        binding = scopes.of(name)
        if binding is None or binding.writes or len(binding.declared) != 1:
            return None
        at = class_at if of_class else function_at
        node = at(binding.declared[0]) if binding.kind != "import" else None
        if node is not None:
            return Standing(file, scopes, node)
        linked = self._linked(file, scopes, name)
        return self._exported(*linked, of_class=of_class) if linked is not None and linked[1] != "*" else None

    def heirs(self, own: Standing) -> list[Standing] | None:
        """Return a class and those that inherit from it, in all files; nothing where there may be others.

        Nor where somebody may give it, or one of them, other methods.
        """
        uses = self._uses_of(own)
        if uses is None:
            return None
        found = [own]
        for use in uses:
            if use.node.parent.type not in ("class_heritage", "extends_clause"):
                continue
            below = class_around(use.node)
            inner = self.heirs(replace(use, node=below)) if below is not None and below != own.node else None
            if inner is None:
                return None
            found += inner
        return found

    def calls_of(self, function: Standing) -> list[Standing]:
        """Return every call of a function of a file's top, in all files; none where it may be used in another way."""
        key = (function.file.path, function.node.id)
        if key not in self._calls:
            named = name_at_top(function.node)
            uses = (self._named_uses(function, named) if named is not None else None) or []
            uses = [one for one in uses if one.node.parent.type != "export_specifier"]
            found = [replace(one, node=one.node.parent) for one in uses if is_called(one.node)]
            self._calls[key] = found if len(found) == len(uses) else []
        return self._calls[key]

    def is_put(self, name: str, file: JavaScriptFile) -> bool:
        """Tell whether something is put under a name into whatever object, but exports, where a file's may come to."""
        if file.path not in self._put:
            near = self._near(file.path)
            put = {
                other.text(one.child_by_field_name("property"))
                for other in (self.files[path] for path in near)
                for one in other.of_types(other.root, ("member_expression",))
                if is_written(one) and other.text(one.child_by_field_name("object")) not in _EXPORTS
            }
            self._put |= dict.fromkeys(near, put)
        return name in self._put[file.path]

    def _near(self, path: str) -> set[str]:
        """Return the files that links lead to from a file, in either direction, over any number of them."""
        if not self._beside:
            for other in self.files.values():
                for link in other.links:
                    there = linked_file(other.path, link.module, self.files)
                    if there:
                        self._beside.setdefault(other.path, set()).add(there)
                        self._beside.setdefault(there, set()).add(other.path)
        found, waiting = {path}, [path]
        while waiting:
            more = self._beside.get(waiting.pop(), set()) - found
            found |= more
            waiting += more
        return found

    def _uses_of(self, own: Standing) -> list[Standing] | None:
        """Return every use of a class, in all files, but where it is exported; nothing where one is not harmless."""
        key = (own.file.path, own.node.id)
        if key not in self._uses:
            found = self._named_uses(own, own.node.child_by_field_name("name"))
            plain = found is not None and all(one.node.parent.type in _KEEPS or _asks(one) for one in found)
            plain = plain and not any(
                within(one, own.node.parent) for one in own.file.of_types(own.node, ("decorator",))
            )
            self._uses[key] = found if plain else None
        return self._uses[key]

    def _named_uses(self, own: Standing, named: Node | None) -> list[Standing] | None:
        """Return every use of something of a file's top, in all files, but where it is exported; nothing if unseen."""
        binding = own.scopes.of(named) if named is not None else None
        if binding is None or binding.writes or len(binding.declared) != 1 or own.scopes.blind:
            return None
        found = [Standing(own.file, own.scopes, use) for use in binding.uses if not is_export(own.file, use)]
        waiting = [(own.file.path, one) for one, inner in own.file.exports.items() if inner == binding.name]
        seen: set[tuple[str, str]] = set()
        while waiting:
            path, name = waiting.pop()
            if (path, name) in seen:
                continue
            seen.add((path, name))
            for other in self.files.values():
                if other.path == path or not any(
                    linked_file(other.path, link.module, self.files) == path for link in other.links
                ):
                    continue
                taken = self._taken(other, path, name)
                if taken is None:
                    return None
                there, passed = taken
                found += there
                waiting += [(other.path, one) for one in passed]
        return found

    def _taken(self, file: JavaScriptFile, path: str, name: str) -> tuple[list[Standing], list[str]] | None:
        """Return the uses in a file of what another exports under a name, and the names by which it passes that on."""
        scopes = self.scopes_of(file)
        if scopes.blind or self._gives_another(file, path, name):
            return None
        found: list[Standing] = []
        passed: list[str] = []
        for link in file.links:
            if linked_file(file.path, link.module, self.files) != path:
                continue
            passed += [given for given, taken in link.passed.items() if taken == name]
            if "*" in link.passed.values() or (file.more and not link.names and not link.passed):
                return None  # all of it is passed on
            for own, taken in link.names.items():
                binding = scopes.at_top(own)
                if taken not in (name, "*"):
                    continue
                if binding is None or binding.writes:
                    return None
                uses = _asked_for(file, binding, name) if taken == "*" else binding.uses
                found += [Standing(file, scopes, use) for use in uses if not is_export(file, use)]
                passed += [given for given, inner in file.exports.items() if inner == own and taken == name]
        return found, passed

    def _linked(self, file: JavaScriptFile, scopes: Scopes, name: Node) -> tuple[str, str] | None:
        """Return the file of the project that a name is taken from, and its name there; `*` for all of it."""
        binding = scopes.of(name)
        if binding is None or binding.writes or len(binding.declared) != 1 or binding.kind not in ("import", "const"):
            return None
        for link in file.links:
            there = linked_file(file.path, link.module, self.files) if binding.name in link.names else ""
            if there and (binding.kind == "import" or within(link.text, binding.declared[0].parent.parent.parent)):
                return there, link.names[binding.name]
        return None

    def _exported(self, path: str, name: str, *, of_class: bool) -> Standing | None:
        """Return the function, or class, that a file exports under a name, where nobody gives that name another."""
        file = self.files[path]
        scopes = self.scopes_of(file)
        if (path, name) not in self._others:
            self._others[path, name] = any(self._gives_another(other, path, name) for other in self.files.values())
        if scopes.blind or self._others[path, name]:
            return None
        node = exported_declared(file, scopes, name, file.exports.get(name), of_class=of_class)
        return Standing(file, scopes, node) if node is not None else None

    def _gives_another(self, file: JavaScriptFile, path: str, name: str) -> bool:
        """Tell whether a file may give what another exports under a name another value, or exports it twice."""
        if file.path == path:
            told = [one for one in file.of_types(file.root, ("member_expression",)) if is_written(one)]
            return (
                sum(file.text(one) in (f"exports.{name}", f"module.exports.{name}", "module.exports") for one in told)
                > 1
            )
        scopes = self.scopes_of(file)
        for link in file.links:
            if linked_file(file.path, link.module, self.files) != path:
                continue
            if link.required and not link.names and link.text.parent.parent.parent.type != "expression_statement":
                return True  # all of it goes somewhere without a name
            for own in (own for own, taken in link.names.items() if taken == "*"):
                binding = scopes.at_top(own)
                if binding is None or any(not _only_reads(use) for use in binding.uses):
                    return True
        return False


def _asks(use: Standing) -> bool:
    """Tell whether a use of a class asks for what the class itself has under a name: `Hive.of`."""
    above = use.node.parent
    asked = above.type == "member_expression" and above.child_by_field_name("object") == use.node
    name = use.file.text(above.child_by_field_name("property")) if asked else ""
    return bool(asked and not is_written(above) and name not in ("prototype", "__proto__", "constructor"))


def _is_decorated(own: Standing) -> bool:
    """Tell whether a class, or a part of it, is handed to a decorator, which may make something else of it."""
    beside = own.node.parent.children if own.node.parent.type == "export_statement" else []
    return bool(own.file.of_types(own.node, ("decorator",))) or any(one.type == "decorator" for one in beside)


def _asked_for(file: JavaScriptFile, binding: Binding, name: str) -> list[Node]:
    """Return where a module's name is asked for one part."""
    asked = [use.parent for use in binding.uses]
    return [one for one in asked if file.text(one.child_by_field_name("property")) == name]


def _only_reads(use: Node) -> bool:
    """Tell whether a use of a module's name only reads a part of it."""
    above = use.parent
    asked = above.type == "member_expression" and above.child_by_field_name("object") == use
    return bool(asked and not is_written(above))
