"""Types of ordinary values as far as the code says them: enough to tell text from bytes in a reply."""

from __future__ import annotations

import ast
from typing import Final

#: A function of the standard library, by its full name, → the type that it gives.
STD_TYPES: Final = {
    "json.dumps": "str",
    "base64.b64encode": "bytes",
    "base64.b64decode": "bytes",
    "base64.urlsafe_b64encode": "bytes",
    "base64.urlsafe_b64decode": "bytes",
    "struct.pack": "bytes",
    "os.getenv": "",
    "urllib.parse.quote": "str",
    "urllib.parse.quote_plus": "str",
    "urllib.parse.unquote": "str",
    "urllib.parse.unquote_plus": "str",
    "urllib.parse.urlencode": "str",
    "html.escape": "str",
    "textwrap.dedent": "str",
    "gzip.compress": "bytes",
    "zlib.compress": "bytes",
    "secrets.token_hex": "str",
    "str": "str",
    "repr": "str",
    "bytes": "bytes",
    "int": "int",
    "len": "int",
    "float": "float",
    "list": "list",
    "sorted": "list",
    "dict": "dict",
    "bool": "bool",
    "format": "str",
}

#: A function of the standard library → the number of the argument whose type it gives.
LIKE_ARGUMENT: Final = {
    "re.sub": 2,
    "textwrap.shorten": 0,
    "textwrap.indent": 0,
    "textwrap.fill": 0,
    "html.unescape": 0,
}

#: A method → the type that it gives, whatever it is called on.
METHOD_TYPES: Final = {
    "encode": "bytes",
    "decode": "str",
    "format": "str",
    "join": "",
    "hexdigest": "str",
    "digest": "bytes",
    "isoformat": "str",
    "strftime": "str",
    "getvalue": "",
    "upper": "",
    "strip": "",
    "replace": "",
    "as_posix": "str",
    "read_bytes": "bytes",
    "read_text": "str",
    "to_bytes": "bytes",
}

#: Methods of text and bytes alone that give several, in a list or tuple that is made anew.
TAKING_APART: Final = {
    "split": "list",
    "rsplit": "list",
    "splitlines": "list",
    "partition": "tuple",
    "rpartition": "tuple",
}

#: Methods of text and bytes alike: they give the type that they are called on.
SAME_TYPE: Final = frozenset(
    ["upper", "lower", "strip", "lstrip", "rstrip", "replace", "title", "capitalize", "removeprefix", "removesuffix"]
    + ["join", "center", "ljust", "rjust", "zfill", "expandtabs", "casefold", "swapcase", "translate"]
)

#: Context managers that let every exception through.
LET_THROUGH: Final = frozenset(
    ["open", "io.open", "contextlib.nullcontext", "contextlib.closing", "contextlib.redirect_stdout", "zipfile.ZipFile"]
    + ["tarfile.open", "gzip.open", "threading.Lock", "threading.RLock", "decimal.localcontext", "asyncio.timeout"]
    + ["tempfile.TemporaryDirectory", "tempfile.NamedTemporaryFile", "tempfile.TemporaryFile"]
)

#: Methods that put what they are handed somewhere, and don't look into it.
PUTTING: Final = frozenset(
    ["append", "add", "insert", "appendleft", "put", "put_nowait", "setdefault", "extend", "update", "submit", "send"]
)

#: Types whose values can't be changed.
FIXED: Final = frozenset(["str", "bytes", "int", "float", "bool", "NoneType"])

#: Methods that change what they are called on.
CHANGING_METHODS: Final = frozenset(
    ["append", "extend", "insert", "remove", "pop", "popitem", "clear", "sort", "reverse", "update", "setdefault"]
    + ["add", "discard", "appendleft", "popleft", "rotate", "move_to_end", "__setitem__", "__delitem__", "__setattr__"]
)

#: Functions of the standard library that change what they are given.
CHANGING: Final = frozenset(
    ["setattr", "delattr", "random.shuffle", "heapq.heappush", "heapq.heappop", "heapq.heapify", "heapq.heapreplace"]
    + ["bisect.insort", "bisect.insort_left", "bisect.insort_right", "operator.setitem", "operator.delitem"]
    + ["operator.iadd", "operator.ior", "dict.update", "list.append", "list.sort", "dict.setdefault", "dict.pop"]
)

#: Functions of the standard library that give what they were given, or a part of it.
HANDING_ON: Final = frozenset(
    ["next", "iter", "zip", "enumerate", "map", "filter", "reversed", "max", "min", "getattr", "functools.reduce"]
    + ["contextlib.nullcontext", "contextlib.closing", "copy.copy", "itertools.chain", "itertools.islice", "vars"]
    + ["itertools.chain.from_iterable", "operator.itemgetter", "typing.cast"]
)


def type_of_constant(node: ast.expr) -> str:
    """Return the type that an expression shows by how it is written, or an empty text."""
    if isinstance(node, ast.Constant):
        return type(node.value).__name__
    if isinstance(node, ast.JoinedStr):
        return "str"
    if isinstance(node, (ast.Dict, ast.DictComp)):
        return "dict"
    if isinstance(node, (ast.List, ast.ListComp)):
        return "list"
    if isinstance(node, ast.Compare):
        return "bool"
    return ""
