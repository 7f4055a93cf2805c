"""Every lens by its name, and reading one as a row names it.

Adding a lens: one class in the module of its topic, which is found here by itself; its helpers go into
`mapping.helpers`.
"""

from __future__ import annotations

import ast
import keyword
import re
from collections.abc import Iterator, Mapping
from types import ModuleType
from typing import Any, Final

from vast_ferry.hub.findings import nearest
from vast_ferry.mapping.lenses import (
    arranged,
    content,
    forms,
    lens,
    listed,
    names,
    over,
    packed,
    pairs,
    protocols,
    structure,
    text,
    times,
    typed,
)
from vast_ferry.mapping.lenses.forms import OfVersion
from vast_ferry.mapping.lenses.lens import FileBytes, Formed, Lens, LensError, TwoHelpers
from vast_ferry.mapping.lenses.listed import AsRecord, Scalars
from vast_ferry.mapping.lenses.pipeline import Pipeline
from vast_ferry.mapping.lenses.times import Epoch
from vast_ferry.mapping.lenses.typed import Typed

_TOPICS = (lens, times, text, pairs, content, structure, protocols, forms, packed, listed, names, over, arranged, typed)
#: What others are built on, and what is only a form on file.
_NO_ROW_NAMES = (Lens, TwoHelpers, Formed, Epoch, FileBytes, OfVersion, Typed, Pipeline)


def _lenses(topic: ModuleType) -> Iterator[type[Lens]]:
    for kind in vars(topic).values():
        is_lens = isinstance(kind, type) and issubclass(kind, Lens) and kind.__module__ == topic.__name__
        if is_lens and kind.name and kind not in _NO_ROW_NAMES:
            yield kind


LENSES: Final[dict[str, type[Lens]]] = {kind.name: kind for topic in _TOPICS for kind in _lenses(topic)}


def parse_lens(text: str) -> Lens:
    """Return the lens that `text` says, such as `joined`, `multimap(first=one, every=every)` or `base64 | gzip`.

    >>> str(parse_lens("route('{name}', '{name*}')"))
    'route({name}, {name*})'
    >>> str(parse_lens("base64 | gzip | json_bytes"))
    'base64 | gzip | json_bytes'

    Raises LensError for an unknown name (the nearest is suggested) or arguments that the lens does not take.
    """
    return _lens(text, _parsed(text))


def _parsed(text: str) -> ast.expr:
    try:
        # A line's end in YAML's double quotes is one here already.
        written = _without_keywords(text.strip()).replace("\r", "\\r").replace("\n", "\\n").replace("\0", "\\x00")
        return ast.parse(written, mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise LensError(f"{text!r} is not a lens: write a name, name(argument, …), or several with | between") from None


#: A name that is a word of Python's own, as a provider may well call something (`from`, `is`, `in`).
_MARK: Final = "_a_word_of_python_"
_WORD_OR_TEXT: Final = re.compile(r"'[^']*'|\"[^\"]*\"|[A-Za-z_]\w*")


def _without_keywords(text: str) -> str:
    """Return a text in which such names are marked, so that Python's grammar takes them for names."""
    reserved = frozenset(keyword.kwlist) - {"True", "False", "None"}
    return _WORD_OR_TEXT.sub(lambda found: _MARK + found[0] if found[0] in reserved else found[0], text)


def _lens(text: str, tree: ast.expr) -> Lens:
    if isinstance(tree, ast.BinOp) and isinstance(tree.op, ast.BitOr):
        before, last = _lens(text, tree.left), _lens(text, tree.right)
        parts = before.parts if isinstance(before, Pipeline) else (before,)
        # What pairs hold may be numbers or truths as well as what a mapping does.
        between = (AsRecord(),) if isinstance(last, Scalars) and parts[-1].holds == ("pairs",) else ()
        return Pipeline((*parts, *between, last))
    function = tree.func if isinstance(tree, ast.Call) else tree
    if not isinstance(function, ast.Name):
        raise LensError(f"{text!r} is not a lens: write a name, name(argument, …), or several with | between")
    if function.id not in LENSES:
        raise LensError(f"there is no lens {function.id!r}{nearest(function.id, LENSES)}")
    kind = LENSES[function.id]
    arguments, options = _arguments(text, tree, counts=kind.counts) if isinstance(tree, ast.Call) else ((), ())
    if any(kind.names and not str(value).isidentifier() for _, value in options):
        raise LensError(f"lens {kind.name} takes names, not {text!r}")
    if kind.one_to_one and len({value for _, value in options}) != len(options):
        raise LensError(f"{text!r} can't be read back: two words stand for the same")
    if not kind.fewest <= len(arguments) <= kind.most or (options and not kind.named):
        raise LensError(f"lens {kind.name} takes {kind.takes or 'no arguments'}, not {text!r}")
    made = kind(arguments, options)
    if options or not kind.named:
        made.losses("id")  # what an argument may not be is said here
        if isinstance(made, Formed):
            made.told()
    return made


def with_words(lens: Lens, words: Mapping[Any, Any]) -> Lens:
    """Return a lens with a provider's words, each for what it is here; in a pipeline, the one form that takes words.

    Raises LensError where no form takes any.
    """
    if isinstance(lens, Pipeline):
        takers = [part for part in lens.parts if part.named and not part.options]
        if len(takers) != 1:
            raise LensError(f"{lens} has {len(takers)} forms that take words")
        return Pipeline(tuple(with_words(part, words) if part is takers[0] else part for part in lens.parts))
    if not lens.named or lens.names:
        raise LensError(f"lens {lens.name} takes no words")
    options = tuple((word, _lens(str(to), _parsed(str(to))) if lens.flagged else to) for word, to in words.items())
    made = type(lens)(lens.args, options)
    made.losses("id")
    return made


def _arguments(text: str, tree: ast.Call, *, counts: bool) -> tuple[tuple[str, ...], tuple[tuple[Any, Any], ...]]:
    """Return what stands in the brackets: arguments, and options as `word=value` or in a mapping."""
    arguments: list[str] = []
    options: list[tuple[Any, Any]] = []
    for node in tree.args:
        if not isinstance(node, ast.Dict):
            number = node.value if counts and isinstance(node, ast.Constant) else None
            arguments.append(str(number) if isinstance(number, int) else _text(text, node))
            continue
        for key, value in zip(node.keys, node.values, strict=True):
            if key is None:
                raise LensError(f"{text!r}: ** has no place there")
            options.append((_word(text, key), _option(text, value)))
    for one in tree.keywords:
        if one.arg is None:
            raise LensError(f"{text!r}: ** has no place there")
        options.append((one.arg.removeprefix(_MARK), _option(text, one.value)))
    return tuple(arguments), tuple(options)


_SCALARS: Final = {"true": True, "false": False, "null": None}


def _word(text: str, node: ast.expr) -> Any:
    """Return a provider's word: a text, a number, a truth value."""
    if isinstance(node, ast.Name):
        return _SCALARS.get(node.id, node.id.removeprefix(_MARK))
    if isinstance(node, ast.Constant) and isinstance(node.value, str | int | bool | None):
        return node.value
    raise LensError(f"{text!r}: a word is a name, a text in quotes, a number, true, false or null")


def _option(text: str, node: ast.expr) -> Any:
    if isinstance(node, ast.Name) and node.id in _OF_BYTES:
        return _lens(text, node)
    return _lens(text, node) if isinstance(node, ast.BinOp | ast.Call) else _text(text, node)


#: The forms of bytes, which may be an option of another lens.
_OF_BYTES: Final = ("utf8", "base64", "base64url", "gzip", "hex", "latin1", "octets")


def _text(text: str, node: ast.expr) -> str:
    if isinstance(node, ast.Name):
        return node.id.removeprefix(_MARK)
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    raise LensError(f"{text!r}: an argument is a name or a text in quotes")
