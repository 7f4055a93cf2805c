"""Type declarations beside a module that was made: what TypeScript is told of it, so that strict projects still build.

Read off the module's own text: names, parameters, and what may be left out. Values are `any`: what a provider calls its
types is its own affair, and no profile says it.
"""

from __future__ import annotations

import textwrap
from collections.abc import Iterable

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, declared_names, parsed


def declarations(text: str, path: str, types: Iterable[str] = ()) -> str:
    """Return the declarations of an ES module's exports; `types` are names that are imported as types only."""
    file = parsed(text.encode("utf-8"), path)
    declared: dict[str, Node] = {}
    exported: list[str] = []
    for statement in file.root.named_children:
        inner = statement
        if statement.type == "export_statement":
            for clause in statement.named_children:
                if clause.type == "export_clause":
                    exported += [file.text(one.child_by_field_name("name")) for one in clause.named_children]
            inner = statement.child_by_field_name("declaration")
            if inner is None:
                continue
            exported += declared_names(file, inner)
        for name in declared_names(file, inner):
            declared[name] = inner
    known = list(dict.fromkeys(exported))
    lines = ["// Made by Vast Ferry: what TypeScript is told of the module beside it.", ""]
    lines += [_declaration(file, name, declared.get(name)) for name in known]
    lines += [f"export type {name} = any;" for name in sorted({*types} - {*known})]
    return "\n".join(lines) + "\n"


def _declaration(file: JavaScriptFile, name: str, node: Node | None) -> str:
    if node is not None and node.type == "class_declaration":
        heritage = next((one for one in node.named_children if one.type == "class_heritage"), None)
        above = f" {file.text(heritage)}" if heritage is not None else ""
        own = "" if above else " [name: string]: any;"
        return f"export class {name}{above} {{ constructor(...given: any[]);{own} }}"
    if node is not None and node.type == "function_declaration":
        return f"export function {name}({_parameters(file, node)}): {_given(node)};"
    value = None
    if node is not None:
        found = [one for one in node.named_children if one.type == "variable_declarator"]
        value = found[0].child_by_field_name("value") if len(found) == 1 else None
    if value is not None and value.type == "object":
        methods = [one for one in value.named_children if one.type == "method_definition"]
        if len(methods) == len([one for one in value.named_children if one.type != "comment"]):
            inner = "\n".join(
                f"{file.text(one.child_by_field_name('name'))}({_parameters(file, one)}): {_given(one)};"
                for one in methods
            )
            return f"export const {name}: {{\n{textwrap.indent(inner, '  ')}\n}};"
    return f"export const {name}: any;"


def _given(function: Node) -> str:
    return "Promise<any>" if any(child.type == "async" for child in function.children) else "any"


def _parameters(file: JavaScriptFile, function: Node) -> str:
    made = []
    for one in function.child_by_field_name("parameters").named_children:
        if one.type == "comment":
            continue
        inner = one.child_by_field_name("left") if one.type == "assignment_pattern" else one
        if inner.type == "rest_pattern":
            made.append(f"{file.text(inner)}: any[]")
        elif inner.type == "object_pattern":
            made.append(f"options?: {{ {_options(file, inner)} }}")
        else:
            made.append(f"{file.text(inner) if inner.type == 'identifier' else 'given'}?: any")
    return ", ".join(made)


def _options(file: JavaScriptFile, pattern: Node) -> str:
    names = []
    for one in pattern.named_children:
        inner = one.child_by_field_name("left") if one.type == "object_assignment_pattern" else one
        key = inner.child_by_field_name("key") if inner.type == "pair_pattern" else inner
        names.append(f"{file.text(key)}?: any" if inner.type != "rest_pattern" else "[more: string]: any")
    return "; ".join(names)
