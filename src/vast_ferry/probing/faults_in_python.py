"""Small faults in Python: what people get wrong, one place at a time, found in a file's tree.

Each stands where it changes what is evaluated and leaves the file a program: a constant, a comparison, two arguments
turned round, an entry of a mapping or a list left out, a statement or a wait left out, a condition that always or never
holds. Texts that nobody can see in an answer are left alone: documentation, and what is only written to a log.
"""

from __future__ import annotations

import ast
import codecs
import re
from collections.abc import Iterator
from typing import Final

from vast_ferry.probing.faults import Fault, Piece

_TURNED: Final[dict[type[ast.cmpop], str]] = {
    ast.Eq: "!=",
    ast.NotEq: "==",
    ast.Lt: "<=",
    ast.LtE: "<",
    ast.Gt: ">=",
    ast.GtE: ">",
    ast.In: "not in",
    ast.NotIn: "in",
    ast.Is: "is not",
    ast.IsNot: "is",
}
_SIGNS: Final[dict[type[ast.cmpop], str]] = {
    ast.Eq: "==",
    ast.NotEq: "!=",
    ast.Lt: "<",
    ast.LtE: "<=",
    ast.Gt: ">",
    ast.GtE: ">=",
    ast.In: "in",
    ast.NotIn: r"not\s+in",
    ast.Is: "is",
    ast.IsNot: r"is\s+not",
}
_REASONED: Final[dict[type[ast.operator], tuple[str, str]]] = {
    ast.Add: ("+", "-"),
    ast.Sub: ("-", "+"),
    ast.Mult: ("*", "/"),
    ast.Div: ("/", "*"),
    ast.FloorDiv: ("//", "/"),
    ast.Mod: ("%", "*"),
}
#: Names by which everybody's code writes to a log; those of a provider are told by its profile.
LOGGING: Final = frozenset(("print", "log", "logger", "logging", "warn", "warning", "info", "debug"))
#: How a provider's log is reached from what a handler is handed: names, one after the other.
Logs = frozenset[tuple[str, ...]]
_WORD: Final = re.compile(r"[^\W\d]\w*")


def pieces(text: str) -> list[Piece]:
    """Return what stands at the top of a file, definition by definition."""
    lines = text.splitlines()
    found = []
    for node in ast.parse(text).body:
        if isinstance(node, ast.Import | ast.ImportFrom):
            continue
        names: set[str] = set()
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            names = {node.name}
        elif isinstance(node, ast.Assign | ast.AnnAssign):
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            names = {one.id for target in targets for one in ast.walk(target) if isinstance(one, ast.Name)}
        first, last = node.lineno, node.end_lineno or node.lineno
        words = frozenset(_WORD.findall("\n".join(lines[first - 1 : last])))
        found.append(Piece(frozenset(names), first, last, words))
    return found


def faults(file: str, text: str, logs: Logs = frozenset()) -> list[Fault]:
    """Return the faults that can be planted in a file, in the order of their lines; none in what `logs` only writes."""
    found = list(_Finder(file, text, logs).all())
    return sorted(dict.fromkeys(found), key=lambda one: (one.line, one.begin, one.end, one.text))


class _Finder:
    def __init__(self, file: str, text: str, logs: Logs) -> None:
        self.file, self.logs = file, logs
        self.content = text.encode("utf-8", "surrogatepass")
        self.starts = [0]
        for line in self.content.split(b"\n"):
            self.starts.append(self.starts[-1] + len(line) + 1)
        self.tree = ast.parse(text)
        imports = [node for node in ast.walk(self.tree) if isinstance(node, ast.Import | ast.ImportFrom)]
        self.imported = {alias.asname or alias.name.partition(".")[0] for node in imports for alias in node.names}

    def all(self) -> Iterator[Fault]:
        stack: list[ast.AST] = list(self.tree.body)
        while stack:
            node = stack.pop()
            if isinstance(node, ast.Import | ast.ImportFrom) or self._is_told_only(node):
                continue
            if isinstance(node, ast.JoinedStr):  # what stands in it has no place of its own before Python 3.12
                yield from self._filled_in(node)
                continue
            yield from self._at(node)
            stack += self._below(node)

    def _below(self, node: ast.AST) -> list[ast.AST]:
        """Return what stands below a node, without what says nothing: annotations, documentation, decorators."""
        skipped: list[ast.AST | None] = []
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            skipped = [node.args, node.returns, *node.decorator_list]
        elif isinstance(node, ast.AnnAssign):
            skipped = [node.annotation]
        elif self._decides_nothing(node):
            skipped = [node.test]  # type: ignore[attr-defined]
        return [one for one in ast.iter_child_nodes(node) if all(one is not other for other in skipped)]

    def _decides_nothing(self, node: ast.AST) -> bool:
        """Tell whether a condition decides on nothing but what is written to a log."""
        return isinstance(node, ast.If) and not node.orelse and all(map(self._is_told_only, node.body))

    def _is_told_only(self, node: ast.AST) -> bool:
        """Tell whether a statement is documentation, or only writes to a log."""
        if not isinstance(node, ast.Expr):
            return False
        if isinstance(node.value, ast.Constant):
            return True
        called = node.value.value if isinstance(node.value, ast.Await) else node.value
        while isinstance(called, ast.Call):
            called = called.func
        names: list[str] = []
        while isinstance(called, ast.Attribute):
            names.insert(0, called.attr)
            called = called.value
        if not isinstance(called, ast.Name):
            return bool(LOGGING & set(names))
        if tuple(names) in self.logs and called.id not in self.imported:
            return True
        return bool(LOGGING & {called.id, *names})

    # --- spans ---

    def _span(self, node: ast.AST) -> tuple[int, int]:
        at = self.starts[node.lineno - 1] + node.col_offset  # type: ignore[attr-defined]
        end = self.starts[node.end_lineno - 1] + node.end_col_offset  # type: ignore[attr-defined]
        return at, end

    def _text(self, begin: int, end: int) -> str:
        return self.content[begin:end].decode("utf-8", "surrogatepass")

    def _fault(self, node: ast.AST, what: str, span: tuple[int, int], text: str) -> Fault:
        last = getattr(node, "end_lineno", None) or node.lineno  # type: ignore[attr-defined]
        return Fault(self.file, node.lineno, last, what, *span, text)  # type: ignore[attr-defined]

    def _between(self, one: ast.AST, other: ast.AST, sign: str) -> tuple[int, int] | None:
        """Return where an operator stands between two expressions."""
        begin, end = self._span(one)[1], self._span(other)[0]
        found = list(re.finditer(sign, self._text(begin, end)))
        if len(found) != 1:
            return None
        return begin + found[0].start(), begin + found[0].end()

    # --- faults ---

    def _at(self, node: ast.AST) -> Iterator[Fault]:
        if isinstance(node, ast.Constant):
            yield from self._constant(node)
        elif isinstance(node, ast.Compare) and len(node.ops) == 1:
            yield from self._comparison(node)
        elif isinstance(node, ast.BoolOp):
            yield from self._choice(node)
        elif isinstance(node, ast.BinOp):
            yield from self._reckoning(node)
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            inner = self._text(*self._span(node.operand))
            yield self._fault(node, "a `not` is left out", self._span(node), f"({inner})")
        elif isinstance(node, ast.Call):
            yield from self._call(node)
        elif isinstance(node, ast.Await):
            yield self._fault(node, "it is not waited for", self._span(node), self._text(*self._span(node.value)))
        else:
            yield from self._statement(node)

    def _constant(self, node: ast.Constant) -> Iterator[Fault]:
        span, value = self._span(node), node.value
        if isinstance(value, bool):
            yield self._fault(node, f"{value} is {not value}", span, str(not value))
        elif isinstance(value, int):
            yield self._fault(node, f"{value} is {value + 1}", span, f"({value + 1})")
        elif isinstance(value, float):
            yield self._fault(node, f"{value} is {value + 1}", span, f"({value + 1!r})")
        elif isinstance(value, str | bytes):
            other = _other_text(value) if isinstance(value, str) else value + b"~"
            yield self._fault(node, f"{_shown(value)} is {_shown(other)}", span, repr(other))

    def _filled_in(self, node: ast.JoinedStr) -> Iterator[Fault]:
        begin, end = self._span(node)
        quote = self._text(end - 1, end)
        if self._text(begin, end).count(quote * 3) == 0:
            yield self._fault(node, "a text ends in `~` more", (end - 1, end), f"~{quote}")

    def _comparison(self, node: ast.Compare) -> Iterator[Fault]:
        sign = type(node.ops[0])
        at = self._between(node.left, node.comparators[0], rf"(?<![<>=!]){_SIGNS[sign]}(?!=)")
        if at is not None and sign in _TURNED:
            yield self._fault(node, f"`{self._text(*at)}` is `{_TURNED[sign]}`", at, _TURNED[sign])

    def _choice(self, node: ast.BoolOp) -> Iterator[Fault]:
        own, other = ("and", "or") if isinstance(node.op, ast.And) else ("or", "and")
        at = self._between(node.values[0], node.values[1], rf"\b{own}\b")
        if at is not None and len(node.values) == 2:
            yield self._fault(node, f"`{own}` is `{other}`", at, other)
        if isinstance(node.op, ast.Or):
            first = self._text(*self._span(node.values[0]))
            yield self._fault(node, "what stands behind `or` is left out", self._span(node), f"({first})")

    def _reckoning(self, node: ast.BinOp) -> Iterator[Fault]:
        signs = _REASONED.get(type(node.op))
        text = isinstance(node.left, ast.Constant | ast.JoinedStr) and isinstance(
            getattr(node.left, "value", ""), str | bytes
        )
        at = self._between(node.left, node.right, re.escape(signs[0])) if signs and not text else None
        if at is not None and signs is not None:
            yield self._fault(node, f"`{signs[0]}` is `{signs[1]}`", at, signs[1])

    def _call(self, node: ast.Call) -> Iterator[Fault]:
        plain = [one for one in node.args if not isinstance(one, ast.Starred)]
        if len(plain) == len(node.args) and len(plain) > 1:
            one, other = self._span(plain[0]), self._span(plain[1])
            first, second = self._text(*one), self._text(*other)
            if first != second:
                turned = f"{second}{self._text(one[1], other[0])}{first}"
                yield self._fault(node, "two arguments are turned round", (one[0], other[1]), turned)
        for word in node.keywords:
            if word.arg and len(node.keywords) + len(node.args) > 1:
                yield self._without(word, word.value, f"`{word.arg}` is not given", node)

    def _without(self, node: ast.AST, last: ast.AST, what: str, around: ast.AST) -> Fault:
        """Return the fault that an entry is left out, with the comma behind it, or before it where it is the last."""
        begin, end = self._span(node)[0], self._span(last)[1]
        limit = self._span(around)[1]
        behind = re.match(r"\s*,", self._text(end, limit))
        if behind:
            end += len(behind[0].encode())
        else:
            before = self._text(self._span(around)[0], begin)
            trailing = re.search(r",\s*$", before)
            begin -= len(trailing[0].encode()) if trailing else 0
        return self._fault(node, what, (begin, end), "")

    def _statement(self, node: ast.AST) -> Iterator[Fault]:
        if isinstance(node, ast.Dict | ast.List):
            yield from self._entries(node)
        elif isinstance(node, ast.If | ast.IfExp) and not self._decides_nothing(node):
            kind = "branch" if isinstance(node, ast.If) else "choice"
            yield self._fault(node.test, f"the {kind} is never taken", self._span(node.test), "False")
            yield self._fault(node.test, f"the {kind} is always taken", self._span(node.test), "True")
        elif isinstance(node, ast.Return):
            if node.value is not None and not _is_nothing(node.value):
                yield self._fault(node, "nothing is returned", self._span(node), "return None")
        elif what := _left_out(node):
            yield self._fault(node, what, self._span(node), "pass")

    def _entries(self, node: ast.Dict | ast.List) -> Iterator[Fault]:
        if isinstance(node, ast.Dict):
            for key, value in zip(node.keys, node.values, strict=True):
                if isinstance(key, ast.Constant) and isinstance(key.value, str):
                    yield self._without(key, value, f"the entry {_shown(key.value)} is left out", node)
        elif isinstance(node.ctx, ast.Load) and len(node.elts) > 1:
            for one in node.elts:
                if not isinstance(one, ast.Starred):
                    yield self._without(one, one, "an entry of a list is left out", node)


def _left_out(node: ast.AST) -> str:
    """Return what it is that a statement is left out; nothing for one that stays."""
    if isinstance(node, ast.Expr) and isinstance(node.value, ast.Call | ast.Await):
        return "the statement is left out"
    if isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Subscript | ast.Attribute):
        return "the assignment is left out"
    if isinstance(node, ast.Continue):
        return "`continue` is left out"
    return "nothing is raised" if isinstance(node, ast.Raise) else ""


def _other_text(text: str) -> str:
    """Return a text that says something else: a character more; for the name of an encoding, another one's.

    Python looks encodings up without the signs in their names, so that `utf-8~` would be no fault at all.
    """
    try:
        own = codecs.lookup(text).name if text.isascii() else ""
    except (LookupError, ValueError):
        own = ""
    if not own:
        return f"{text}~"
    return "latin-1" if own != codecs.lookup("latin-1").name else "utf-16"


def _is_nothing(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and node.value is None


def _shown(value: object) -> str:
    text = repr(value)
    return text if len(text) <= 30 else f"{text[:24]}…{text[-1]}"
