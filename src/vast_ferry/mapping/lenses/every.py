"""Every lens by its name, and reading one as a row names it.

Adding a lens: one small class in `codecs_http` or `codecs_values`, listed here; its helpers go into `mapping.helpers`.
"""

from __future__ import annotations

import ast
from typing import Final

from vast_ferry.hub.findings import nearest
from vast_ferry.mapping.lenses.http import (
    Authority,
    BytesOrText,
    Chunks,
    EnvironHeaders,
    EnvironPath,
    FirstValues,
    HeaderLines,
    HeaderLinesOnFile,
    HostAndPort,
    HostLine,
    Joined,
    Json,
    Keys,
    LatinBytes,
    MessagesBody,
    Milliseconds,
    MultiMap,
    OnlyId,
    PairList,
    Pieces,
    ReplyLines,
    RouteStyle,
    RoutingArgs,
    ScopePath,
    ScopePathOnFile,
    ServerPair,
    StatusLine,
    Stream,
    StreamLog,
    Text,
    TextOrBase64,
    WireHeaders,
)
from vast_ferry.mapping.lenses.lens import Lens, LensError, Plain, PlainBytes
from vast_ferry.mapping.lenses.values import (
    ChoiceOf,
    DataOrBase64,
    EpochMs,
    EpochNs,
    EpochSeconds,
    EpochSecondsText,
    Extensions,
    FormText,
    JsonAscii,
    JsonBytes,
    JsonText,
    JsonTextExact,
    ListsByName,
    MappingOrNull,
    NumberText,
    OrNull,
    PercentAfter,
    PercentText,
    PrefixedText,
)

LENSES: Final[dict[str, type[Lens]]] = {
    lens.name: lens
    for lens in (
        Plain,
        PlainBytes,
        EpochMs,
        EnvironPath,
        RouteStyle,
        RoutingArgs,
        PairList,
        Joined,
        FirstValues,
        MultiMap,
        EnvironHeaders,
        WireHeaders,
        TextOrBase64,
        Text,
        Json,
        BytesOrText,
        Pieces,
        Stream,
        Chunks,
        StatusLine,
        Authority,
        Keys,
        OnlyId,
        Milliseconds,
        StreamLog,
        EpochSeconds,
        EpochSecondsText,
        EpochNs,
        ChoiceOf,
        FormText,
        PercentText,
        PrefixedText,
        PercentAfter,
        OrNull,
        MappingOrNull,
        NumberText,
        JsonText,
        JsonAscii,
        JsonTextExact,
        JsonBytes,
        ListsByName,
        DataOrBase64,
        Extensions,
        HeaderLines,
        HeaderLinesOnFile,
        HostAndPort,
        HostLine,
        LatinBytes,
        MessagesBody,
        ReplyLines,
        ScopePath,
        ScopePathOnFile,
        ServerPair,
    )
}


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
    if kind in (ChoiceOf, Keys) and len({value for _, value in options}) != len(options):
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
