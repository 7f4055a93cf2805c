"""Looking at a handler's file without running it: is the entry there, and what does it import from its provider?"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest
from vast_ferry.hub.functions import Function
from vast_ferry.mapping.clients import Client
from vast_ferry.providers.profile import Profile


@dataclass(frozen=True, slots=True)
class Scanned:
    """What a file says of a handler: the names that it takes, and findings."""

    findings: tuple[Finding, ...]
    modules: frozenset[str]  # the provider's own modules that the project's code needs
    uses: tuple[tuple[Client, Place], ...] = ()  # clients that it calls, and where


def scan_entry(folder: Path, function: Function) -> None:
    """Check that a function's entry names a callable in a file of the project; raise BadInput where it does not."""
    path = folder / function.entry.file
    declared = Place(str(folder / function.place.file), function.place.line, function.place.column)
    if not path.is_file():
        files = [str(p.relative_to(folder).as_posix()) for p in folder.rglob("*.py")]
        raise BadInput(
            f"function {function.name} points to {function.entry.file}, which is not there"
            f"{nearest(function.entry.file, files)}",
            "Correct the entry, or add the file",
            declared,
        )
    if not path.resolve().is_relative_to(folder.resolve()):
        raise BadInput(
            f"function {function.name} points to {function.entry.file}, which leads out of the project",
            "Keep handlers inside the project",
            declared,
        )
    tree = _parse(path, str(path))
    names = list(_top_names(tree))
    if function.entry.name not in names:
        raise BadInput(
            f"function {function.name} points to {function.entry.name!r}, which {function.entry.file} does not define"
            f"{nearest(function.entry.name, names)}",
            "Correct the entry, or define the handler",
            declared,
        )


def _parse(path: Path, shown: str) -> ast.Module:
    try:
        return ast.parse(path.read_bytes())
    except SyntaxError as error:
        raise BadInput(
            f"the file is not Python: {error.msg}", "Mend the line", Place(shown, error.lineno or 1, error.offset or 0)
        ) from None
    except (ValueError, RecursionError) as error:
        raise BadInput(f"the file is not Python: {error}", "Mend the file", Place(shown)) from None


def _top_names(tree: ast.Module) -> list[str]:
    """Return the names that a module binds at its top level, inside `if` and `try` as well."""
    names: list[str] = []
    stack: list[ast.stmt] = list(reversed(tree.body))
    while stack:
        node = stack.pop()
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            names.append(node.name)
        elif isinstance(node, ast.Assign):
            names += [n.id for target in node.targets for n in ast.walk(target) if isinstance(n, ast.Name)]
        elif isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name):
            names.append(node.target.id)
        elif isinstance(node, ast.Import | ast.ImportFrom):
            names += [alias.asname or alias.name.split(".")[0] for alias in node.names]
        elif isinstance(node, ast.If | ast.Try | ast.With):
            for block in ("body", "orelse", "finalbody"):
                stack += reversed(getattr(node, block, []))
            stack += [inner for handler in getattr(node, "handlers", []) for inner in reversed(handler.body)]
    return names


def scan_imports(folder: Path, files: list[str], profile: Profile) -> Scanned:
    """Return what a project's code needs of its provider: modules, clients and where they are called, and findings.

    A file that can't be parsed is a finding: it may be one that nothing uses.
    """
    findings: list[Finding] = []
    needed: set[str] = set()
    uses: list[tuple[Client, Place]] = []
    provided = {name: set(classes) for name, classes in profile.model.modules.items()}
    parameters = set(profile.model.handler.parameters)
    for client in profile.clients:
        if client.root not in parameters:
            provided.setdefault(client.root, set()).add(client.path.partition(".")[0])
    for module, paths in profile.model.decorators.items():
        provided.setdefault(module, set()).update(path.partition(".")[0] for path in paths)
    known = {module.partition(".")[0] for module in provided}
    for file in files:
        if not file.endswith(".py"):
            continue
        try:
            tree = _parse(folder / file, file)
        except BadInput as error:
            findings.append(
                Finding("not-python", Severity.TODO, error.what, "Mend it if anything imports it", error.place)
            )
            continue
        aliases: dict[str, tuple[str, Place]] = {}
        for node in ast.walk(tree):
            if isinstance(node, ast.ImportFrom) and node.module and node.level == 0:
                module, names = node.module, {alias.name: alias.asname or alias.name for alias in node.names}
            elif isinstance(node, ast.Import):
                imported = next((a for a in node.names if a.name.split(".")[0] in known), None)
                module, names = (imported.name if imported else ""), {}
                if imported:
                    here = Place(file, node.lineno, node.col_offset + 1)
                    aliases[imported.asname or imported.name] = imported.name, here
            else:
                continue
            if module.split(".")[0] not in known:
                continue
            missing = [name for name in names if name not in provided.get(module, set())]
            here = Place(file, node.lineno, node.col_offset + 1)
            aliases.update({own: (f"{module}.{name}", here) for name, own in names.items() if name not in missing})
            if module in provided and not missing:
                needed.add(module)
                continue
            what = ", ".join(missing) or module
            findings.append(
                Finding(
                    "client-not-carried",
                    Severity.BLOCKING,
                    f"{what} of {profile.title} is imported, and its profile knows no such thing",
                    "Call the target's own client there, or leave the function where it is",
                    Place(file, node.lineno, node.col_offset + 1),
                )
            )
        uses += _uses(tree, file, aliases, profile)
    return Scanned(tuple(findings), frozenset(needed), tuple(uses))


def _uses(
    tree: ast.Module, file: str, aliases: dict[str, tuple[str, Place]], profile: Profile
) -> Iterator[tuple[Client, Place]]:
    """Yield the clients that a file calls and where; all of an imported group where its calls can't be seen."""
    clients = {client.called: client for client in profile.clients}
    seen: set[str] = set()
    for node in ast.walk(tree):
        if not isinstance(node, ast.Attribute):
            continue
        try:
            root, _, rest = ast.unparse(node).partition(".")
        except RecursionError:
            continue
        called = f"{aliases[root][0] if root in aliases else root}.{rest}"
        if called in clients:
            seen.add(called.rpartition(".")[0])
            yield clients[called], Place(file, node.lineno, node.col_offset + 1)
    for path, place in aliases.values():
        group = [client for called, client in clients.items() if called.startswith(f"{path}.")]
        if group and not any(one == path or one.startswith(f"{path}.") for one in seen):
            yield from ((client, place) for client in group)
