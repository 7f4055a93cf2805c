"""Every lens by its name, and reading one as a row names it.

Adding a lens: one class in the module of its topic, which is found here by itself; its helpers go into
`mapping.helpers`.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from types import ModuleType
from typing import Final

from vast_ferry.hub.findings import nearest
from vast_ferry.mapping.lenses import content, lens, pairs, protocols, structure, text, times
from vast_ferry.mapping.lenses.lens import FileBytes, Lens, LensError, TwoHelpers
from vast_ferry.mapping.lenses.times import Epoch

_TOPICS = (lens, times, text, pairs, content, structure, protocols)
#: What others are built on, and what is only a form on file.
_NO_ROW_NAMES = (Lens, TwoHelpers, Epoch, FileBytes)


def _lenses(topic: ModuleType) -> Iterator[type[Lens]]:
    for kind in vars(topic).values():
        is_lens = isinstance(kind, type) and issubclass(kind, Lens) and kind.__module__ == topic.__name__
        if is_lens and kind not in _NO_ROW_NAMES:
            yield kind


LENSES: Final[dict[str, type[Lens]]] = {kind.name: kind for topic in _TOPICS for kind in _lenses(topic)}


def parse_lens(text: str) -> Lens:
    """Return the lens that `text` says, such as `joined` or `multimap(first=one, every=every)`.

    >>> str(parse_lens("route('{name}', '{name*}')"))
    'route({name}, {name*})'

    Raises LensError for an unknown name (the nearest is suggested) or arguments that the lens does not take.
    """
    try:
        tree = ast.parse(text.strip(), mode="eval").body
    except SyntaxError:
        raise LensError(f"{text!r} is not a lens: write a name, or name(argument, …)") from None
    function = tree.func if isinstance(tree, ast.Call) else tree
    if not isinstance(function, ast.Name):
        raise LensError(f"{text!r} is not a lens: write a name, or name(argument, …)")
    if function.id not in LENSES:
        raise LensError(f"there is no lens {function.id!r}{nearest(function.id, LENSES)}")
    kind = LENSES[function.id]
    arguments = tuple(_text(text, node) for node in tree.args) if isinstance(tree, ast.Call) else ()
    options = (
        tuple((keyword.arg or "", _text(text, keyword.value)) for keyword in tree.keywords)
        if isinstance(tree, ast.Call)
        else ()
    )
    if any(not key.isidentifier() or (kind.names and not value.isidentifier()) for key, value in options):
        raise LensError(f"lens {kind.name} takes names, not {text!r}")
    if kind.one_to_one and len({value for _, value in options}) != len(options):
        raise LensError(f"{text!r} can't be read back: two words stand for the same")
    if not kind.fewest <= len(arguments) <= kind.most or (options and not kind.named):
        raise LensError(f"lens {kind.name} takes {kind.takes or 'no arguments'}, not {text!r}")
    return kind(arguments, options)


def _text(text: str, node: ast.expr) -> str:
    if isinstance(node, ast.Name):
        return node.id
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    raise LensError(f"{text!r}: an argument is a name or a text in quotes")
