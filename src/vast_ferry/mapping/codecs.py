"""Every codec by its name, and reading one as a row names it.

Adding a codec: one small class in `codecs_http` or `codecs_values`, listed here; its helpers go into `mapping.helpers`.
"""

from __future__ import annotations

import ast
from typing import Final

from vast_ferry.hub.findings import nearest
from vast_ferry.mapping.codec import Codec, CodecError, Plain, PlainBytes
from vast_ferry.mapping.codecs_http import (
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
from vast_ferry.mapping.codecs_values import (
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

CODECS: Final[dict[str, type[Codec]]] = {
    codec.name: codec
    for codec in (
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


def parse_codec(text: str) -> Codec:
    """Return the codec that `text` says, such as `joined` or `multimap(first=one, every=every)`.

    >>> str(parse_codec("route('{name}', '{name*}')"))
    'route({name}, {name*})'

    Raises CodecError for an unknown name (the nearest is suggested) or arguments that the codec does not take.
    """
    try:
        tree = ast.parse(text.strip(), mode="eval").body
    except SyntaxError:
        raise CodecError(f"{text!r} is not a codec: write a name, or name(argument, …)") from None
    function = tree.func if isinstance(tree, ast.Call) else tree
    if not isinstance(function, ast.Name):
        raise CodecError(f"{text!r} is not a codec: write a name, or name(argument, …)")
    if function.id not in CODECS:
        raise CodecError(f"there is no codec {function.id!r}{nearest(function.id, CODECS)}")
    kind = CODECS[function.id]
    arguments = tuple(_text(text, node) for node in tree.args) if isinstance(tree, ast.Call) else ()
    options = (
        tuple((keyword.arg or "", _text(text, keyword.value)) for keyword in tree.keywords)
        if isinstance(tree, ast.Call)
        else ()
    )
    if any(not key.isidentifier() or (kind.names and not value.isidentifier()) for key, value in options):
        raise CodecError(f"codec {kind.name} takes names, not {text!r}")
    if kind in (ChoiceOf, Keys) and len({value for _, value in options}) != len(options):
        raise CodecError(f"{text!r} can't be read back: two words stand for the same")
    if not kind.fewest <= len(arguments) <= kind.most or (options and not kind.named):
        raise CodecError(f"codec {kind.name} takes {kind.takes or 'no arguments'}, not {text!r}")
    return kind(arguments, options)


def _text(text: str, node: ast.expr) -> str:
    if isinstance(node, ast.Name):
        return node.id
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    raise CodecError(f"{text!r}: an argument is a name or a text in quotes")
