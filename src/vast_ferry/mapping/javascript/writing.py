"""Expressions written as JavaScript, and statements that name what is used more than once.

What an expression means is what Python makes of it; where JavaScript would make something else of the same sign (truth
of what is empty, `in`, a missing key), it is written so that it means the same. What has no such form raises NoTwin:
nothing is written that would only look the same.
"""

from __future__ import annotations

import ast
import json
import math
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any, Final

from vast_ferry.hub.findings import FerryError
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.javascript import library
from vast_ferry.mapping.javascript.names import RESERVED, camel, free, is_identifier

#: How tightly operators bind (ECMAScript 2024 §13), as far as they are used; what is not here is an operand.
_ARROW, _CHOICE, _OR, _AND, _EQUAL, _ORDER, _SUM, _PRODUCT, _NOT, _OPERAND = range(1, 11)
_BINDS: Final = {
    **{"or": _OR, "and": _AND},
    **dict.fromkeys(("is", "is not", "==", "!="), _EQUAL),
    **dict.fromkeys(("in", "not in"), _NOT),
    **dict.fromkeys(("<", "<=", ">", ">="), _ORDER),
    **dict.fromkeys(("+", "-"), _SUM),
    **dict.fromkeys(("*", "/", "//", "%"), _PRODUCT),
}
_SIGNS: Final = {"or": "||", "and": "&&", "is": "===", "is not": "!==", "==": "===", "!=": "!=="}
_EXACT: Final = 2**53 - 1


class NoTwin(FerryError):
    """What has no form in JavaScript."""


@dataclass(frozen=True, slots=True)
class Arrow(ex.Expression):
    """A function without a name: its parameters as JavaScript, and what it gives when it is called."""

    parameters: str
    of: ex.Expression
    awaited: bool = False


@dataclass(frozen=True, slots=True)
class New(ex.Expression):
    """An object of a class; what is `named` stands in one object at the end."""

    class_name: str
    arguments: tuple[ex.Expression, ...] = ()
    named: tuple[tuple[str, ex.Expression], ...] = ()

    @property
    def parts(self) -> tuple[ex.Expression, ...]:
        return (*self.arguments, *(value for _, value in self.named))


def text(value: str) -> str:
    """Return the literal of a text, in double quotes; lone surrogates and line separators are escaped."""
    made = json.dumps(value, ensure_ascii=False)
    return re.sub("[\u2028\u2029\ud800-\udfff\x7f]", lambda found: f"\\u{ord(found[0]):04x}", made)


def literal(value: Any) -> str:
    """Return the source of a value; whole numbers that a Number can't hold are BigInt."""
    if value is None or isinstance(value, bool):
        return {None: "null", True: "true", False: "false"}[value]
    if isinstance(value, str):
        return text(value)
    if isinstance(value, bytes):
        return "Buffer.alloc(0)" if not value else f'Buffer.from("{value.hex()}", "hex")'
    if isinstance(value, int):
        return str(value) if abs(value) <= _EXACT else f"{value}n"
    if isinstance(value, float):
        if not math.isfinite(value):
            return {math.inf: "Infinity", -math.inf: "-Infinity"}.get(value, "NaN")
        return str(int(value)) if value.is_integer() and abs(value) <= _EXACT else repr(value)
    if isinstance(value, dict) and not all(isinstance(name, str) for name in value):
        # The keys of an object are texts: what is looked up by another value stands in a Map.
        pairs = ", ".join(f"[{literal(name)}, {literal(held)}]" for name, held in value.items())
        return f"new Map([{pairs}])"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{key(name)}: {literal(held)}' for name, held in value.items())}}}"
    if isinstance(value, list | tuple | set | frozenset):
        return f"[{', '.join(map(literal, value))}]"
    raise NoTwin(f"a {type(value).__name__} can't be written in JavaScript")


def in_comment(value: str) -> str:
    """Return a text as it may stand in a comment: it neither ends it nor leaves its line."""
    return " ".join(value.replace("*/", "* /").split())


def key(name: str) -> str:
    """Return a name as it stands before a colon; one that would set the prototype is computed."""
    if name == "__proto__":
        return '["__proto__"]'
    return name if is_identifier(name) else text(name)


def _dotted(base: str, name: str) -> str:
    return f"{base}.{name}" if is_identifier(name) else f"{base}[{text(name)}]"


def binds(node: ex.Expression) -> int:
    """Return how tightly an expression binds."""
    match node:
        case Arrow() | ex.Function():
            return _ARROW
        case ex.Choice():
            return _CHOICE
        case ex.Operation(operator=operator):
            return _BINDS[operator]
        case ex.Item(default=ex.Expression()) | ex.Attribute(default=ex.Expression()):
            return _CHOICE  # `??` may not stand beside `||` or `&&` (§13.13)
        case ex.Not() | ex.Await():
            return _NOT
        case ex.Call(function=ex.Variable(identifier="isinstance")):
            return _EQUAL
        case ex.Mapping():
            return _OPERAND
        case _:
            return _OPERAND


@dataclass(slots=True)
class JavaScript:
    """Writes expressions; `named` gives what is in a variable already, `used` collects the helpers that are called."""

    named: Callable[[ex.Expression], str] = lambda node: ""
    used: set[str] = field(default_factory=set)

    def write(self, node: ex.Expression, least: int = _ARROW) -> str:
        """Return the source of an expression, in parentheses where it binds less tightly than `least`."""
        name = self.named(node)
        if name:
            return name
        made = self.plainly(node)
        return f"({made})" if binds(node) < least else made

    def operand(self, node: ex.Expression) -> str:
        """Return the source of an expression that something follows: a dot, a bracket, a call."""
        return self.write(node, _OPERAND)

    def plainly(self, node: ex.Expression) -> str:
        """Return the source of an expression by itself; raises NoTwin where there is none."""
        write: Callable[[Any], str] | None = getattr(self, f"_{type(node).__name__.lower()}", None)
        if write is None:
            raise NoTwin(f"{type(node).__name__} has no form in JavaScript")
        return write(node)

    def helper(self, name: str) -> str:
        """Return the name of a helper's twin, and note that it is used."""
        own = camel(name)
        if not library.has(own):
            raise NoTwin(f"{name} has no twin in JavaScript yet")
        self.used.add(own)
        return own

    def truth(self, node: ex.Expression, least: int = _OR) -> str:
        """Return the source of a test: true where Python finds the value true, so not for what is empty."""
        if self.is_truth(node):
            return self.write(node, least)
        return f"{self.helper('is_filled')}({self.write(node)})"

    def is_truth(self, node: ex.Expression) -> bool:
        """Tell whether an expression gives true or false, or what is true in both languages alike."""
        match node:
            case ex.Operation(operator="and" | "or", operands=operands):
                return all(map(self.is_truth, operands))
            case ex.Operation(operator=operator):
                return _BINDS[operator] in (_EQUAL, _ORDER, _NOT)
            case ex.Not():
                return True
            case ex.Literal(value=value):
                return isinstance(value, bool)
            case ex.Call(function=ex.Variable(identifier="isinstance")):
                return True
        return False

    # --- leaves ---

    def _variable(self, node: ex.Variable) -> str:
        return node.identifier if "." in node.identifier else camel(node.identifier)

    def _parameter(self, node: ex.Parameter) -> str:
        return camel(node.identifier)

    def _literal(self, node: ex.Literal) -> str:
        return literal(node.value)

    def _given(self, node: ex.Given) -> str:
        try:
            return literal(ast.literal_eval(node.text))
        except ValueError:
            pass
        found = re.fullmatch(r"from_module\('([\w.-]+)', '(\w+)'\)", node.text)
        if found:
            own = f"{camel(found[2])}Of{camel(re.sub(r'[^A-Za-z0-9]+', '_', found[1])).title()}"
            self.used.add(f"import {{ {camel(found[2])} as {own} }} from {text(found[1])};")
            return own
        if not node.text.isidentifier():
            raise NoTwin(f"{node.text} is Python, and has no form in JavaScript")
        return self.helper(node.text) if hasattr(helpers, node.text) else camel(node.text)

    def _helper(self, node: ex.Helper) -> str:
        return self.helper(node.function)

    def _arrow(self, node: Arrow) -> str:
        body = self.write(node.of)
        return f"{'async ' * node.awaited}({node.parameters}) => {f'({body})' if body.startswith('{') else body}"

    def _function(self, node: ex.Function) -> str:
        parameters = node.parameters.replace("**", "").replace("*", "...")
        body = self.write(node.body)
        return f"({parameters}) => {f'({body})' if body.startswith('{') else body}"

    # --- steps ---

    def _item(self, node: ex.Item) -> str:
        base = self.operand(node.base)
        if isinstance(node.key, ex.Literal) and isinstance(node.key.value, str):
            made = _dotted(base, node.key.value)
        else:
            made = f"{base}[{self.write(node.key)}]"
        return made if node.default is None else f"{made} ?? {self.write(node.default, _OPERAND)}"

    def _attribute(self, node: ex.Attribute) -> str:
        made = _dotted(self.operand(node.base), camel(node.attribute))
        return made if node.default is None else f"{made} ?? {self.write(node.default, _OPERAND)}"

    def _await(self, node: ex.Await) -> str:
        return f"await {self.write(node.base, _NOT)}"

    def _call(self, node: ex.Call) -> str:
        if isinstance(node.function, ex.Variable) and node.function.identifier in _BUILT_IN:
            return _BUILT_IN[node.function.identifier](self, node)
        if isinstance(node.function, ex.TextMethod):
            return self._of_text(node.function, node.arguments)
        if node.keywords or isinstance(node.function, ex.Standard | ex.Beside):
            raise NoTwin(f"a call of {node.function} has no form in JavaScript")
        return f"{self.operand(node.function)}({', '.join(map(self.write, node.arguments))})"

    def _of_text(self, method: ex.TextMethod, arguments: tuple[ex.Expression, ...]) -> str:
        own = _TEXT_METHODS[method.name_there]
        if not library.has(own):
            return f"{self.operand(method.base)}.{own}()"
        self.used.add(own)
        return f"{own}({', '.join(map(self.write, (method.base, *arguments)))})"

    def _new(self, node: New) -> str:
        given = [self.write(one) for one in node.arguments]
        if node.named:
            given.append(f"{{ {', '.join(self._pair(name, value) for name, value in node.named)} }}")
        return f"new {node.class_name}({', '.join(given)})"

    def _pair(self, name: str, value: ex.Expression) -> str:
        made = self.write(value)
        return name if made == name else f"{key(name)}: {made}"

    # --- operators ---

    def _operation(self, node: ex.Operation) -> str:
        operator, operands = node.operator, node.operands
        if operator in ("in", "not in"):
            found = f"Object.hasOwn({self.write(operands[1])}, {self.write(operands[0])})"
            if _is_list(operands[1]):
                found = f"{self.operand(operands[1])}.includes({self.write(operands[0])})"
            return found if operator == "in" else f"!{found}"
        if operator == "+" and any(map(_is_list, operands)):
            return f"[{', '.join(f'...{self.operand(one)}' for one in operands)}]"
        nothing = operator in ("is", "is not") and operands[1] == ex.Literal(None)
        if nothing:  # absent is null there, or undefined
            return f"{self.write(operands[0], _ORDER)} {'==' if operator == 'is' else '!='} null"
        if operator in ("and", "or") and not all(map(self.is_truth, operands[:-1])):
            return self._lazily(operator, operands)
        if operator == "//":
            raise NoTwin("whole division has no form in JavaScript")
        least = _BINDS[operator]
        head, *tail = operands
        sign = f" {_SIGNS.get(operator, operator)} "
        return sign.join([self.write(head, least), *(self.write(one, least + 1) for one in tail)])

    def _lazily(self, operator: str, operands: tuple[ex.Expression, ...]) -> str:
        """Return `and` or `or` of values, the last of which is the answer where all before are empty or filled."""
        *before, made = map(self.write, operands)
        for one in reversed(before):
            test = f"{self.helper('is_filled')}({one})"
            made = f"({test} ? {one} : {made})" if operator == "or" else f"({test} ? {made} : {one})"
        return made

    def _not(self, node: ex.Not) -> str:
        return f"!{self.truth(node.base, _NOT)}"

    def _choice(self, node: ex.Choice) -> str:
        test, then, other = self.truth(node.test), self.write(node.then, _CHOICE), self.write(node.otherwise, _CHOICE)
        return f"{test} ? {then} : {other}"

    # --- what is put together ---

    def _mapping(self, node: ex.Mapping) -> str:
        entries = [self._entry(one) for one in node.entries]
        if not node.lines:
            return f"{{ {', '.join(entries)} }}" if entries else "{}"
        return "{" + "".join(f"\n  {one.replace(chr(10), f'{chr(10)}  ')}," for one in entries) + "\n}"

    def _entry(self, entry: ex.Entry) -> str:
        if entry.key is None:
            return f"...{self.operand(entry.value)}"
        value = self.write(entry.value)
        if isinstance(entry.key, ex.Literal):
            name = str(entry.key.value)
            pair = name if value == name and is_identifier(name) else f"{key(name)}: {value}"
        else:
            pair = f"[{self.write(entry.key)}]: {value}"
        if entry.test is not None:
            return f"...({self.truth(entry.test, _AND)} && {{ {pair} }})"
        if not entry.unless:
            return pair
        test = f"{value} != null" if entry.unless == "nothing" else self.truth(entry.value, _AND)
        return f"...({test} && {{ {pair} }})"

    def _sequence(self, node: ex.Sequence) -> str:
        return f"[{', '.join(map(self.write, node.items))}]"

    def _each(self, node: ex.Each) -> str:
        if node.inner is not None or node.key is not None:
            raise NoTwin("lists in lists are not gone through in JavaScript")
        names = ", ".join(map(camel, node.names))
        names = f"[{names}]" if len(node.names) > 1 else names
        made = self.operand(node.over)
        if node.test is not None:
            made = f"{made}.filter(({names}) => {self.truth(node.test)})"
        item = self.write(node.item)
        return f"{made}.map(({names}) => {f'({item})' if item.startswith('{') else item})"


def _is_list(node: ex.Expression) -> bool:
    return isinstance(node, ex.Sequence) or (isinstance(node, ex.Literal) and isinstance(node.value, list | tuple))


def _length(writer: JavaScript, node: ex.Call) -> str:
    return f"{writer.operand(node.arguments[0])}.length"


def _whole(writer: JavaScript, node: ex.Call) -> str:
    return f"Math.trunc({writer.write(node.arguments[0])})"


def _as_text(writer: JavaScript, node: ex.Call) -> str:
    return f"String({writer.write(node.arguments[0])})"


def _mapping_of(writer: JavaScript, node: ex.Call) -> str:
    return f"Object.fromEntries({writer.write(node.arguments[0])})"


def _names_of(writer: JavaScript, node: ex.Call) -> str:
    return f"Object.keys({writer.write(node.arguments[0])})"


def _is_a(writer: JavaScript, node: ex.Call) -> str:
    value, kind = node.arguments
    if kind != ex.Variable("str"):
        raise NoTwin("only text is told by its type in JavaScript")
    return f'typeof {writer.write(value, _NOT)} === "string"'


def insides(node: ex.Expression) -> tuple[ex.Expression, ...]:
    """Return the parts of an expression, and what a function gives."""
    return (node.of,) if isinstance(node, Arrow) else (node.body,) if isinstance(node, ex.Function) else node.parts


def everything_in(node: ex.Expression) -> Iterator[ex.Expression]:
    """Yield an expression and all in it, what functions give too."""
    yield node
    for part in insides(node):
        yield from everything_in(part)


#: What is written for a method that every text has: a method there as well, or a twin.
_TEXT_METHODS: Final = {
    "upper": "toUpperCase",
    "lower": "toLowerCase",
    "removeprefix": "withoutPrefix",
    "removesuffix": "withoutSuffix",
}

#: What Python has by itself, and what is written for a call of it.
_BUILT_IN: Final[dict[str, Callable[[JavaScript, ex.Call], str]]] = {
    "len": _length,
    "int": _whole,
    "str": _as_text,
    "dict": _mapping_of,
    "list": _names_of,
    "isinstance": _is_a,
}


@dataclass(slots=True)
class Statements:
    """Turns expressions into statements: what is used more than once is put into a constant first, in order of need.

    What is only evaluated behind a test stays behind it, for it may fail where the test does.
    """

    taken: set[str] = field(default_factory=lambda: set(RESERVED))
    lines: list[str] = field(default_factory=list)
    used: set[str] = field(default_factory=set)
    _uses: dict[ex.Expression, int] = field(default_factory=dict)
    _named: dict[ex.Expression, str] = field(default_factory=dict)
    _sure: set[ex.Expression] = field(default_factory=set)
    _before: set[ex.Expression] = field(default_factory=set)
    held: frozenset[ex.Expression] = frozenset()  # what functions share, for who is given it may change it

    def count(self, node: ex.Expression) -> None:
        """Count the uses of an expression and its parts; call for every root before writing."""
        self._count(node)
        self._reach(node)
        self._bring_out(node, inside=False)

    def _bring_out(self, node: ex.Expression, *, inside: bool, each: frozenset[str] = frozenset()) -> None:
        """Note what is made before the functions that need it: what is waited for, and what they share.

        `each` is what a loop over several events names each of them: what is held can't depend on it.
        """
        if inside and (isinstance(node, ex.Await) or node in self.held):
            if any(isinstance(one, ex.Variable) and one.identifier in each for one in everything_in(node)):
                raise NoTwin("what the methods of each of several events share has no form in JavaScript yet")
            self._before.add(node)
        if isinstance(node, ex.Call) and isinstance(node.function, ex.Attribute) and node.function.attribute == "map":
            self._bring_out(node.function, inside=inside, each=each)
            for one in node.arguments:
                assert isinstance(one, Arrow)
                self._bring_out(one.of, inside=inside, each=each | {one.parameters})
            return
        inner = inside or isinstance(node, Arrow | ex.Function)
        for part in insides(node):
            self._bring_out(part, inside=inner, each=each)

    def _reach(self, node: ex.Expression) -> None:
        if node in self._sure:
            return
        self._sure.add(node)
        parts: tuple[ex.Expression, ...] = node.parts
        if isinstance(node, ex.Choice):
            parts = (node.test,)
        elif isinstance(node, ex.Operation) and node.operator in ("and", "or"):
            parts = node.operands[:1]
        elif isinstance(node, ex.Mapping):
            parts = tuple(entry.test or entry.value for entry in node.entries)
        for part in parts:
            self._reach(part)

    def _count(self, node: ex.Expression) -> None:
        seen = self._uses.get(node, 0)
        self._uses[node] = seen + 1
        if not seen:
            for part in node.parts:
                self._count(part)

    def writer(self) -> JavaScript:
        """Return what writes expressions with the constants that there are."""
        return JavaScript(self._variable, self.used)

    def write(self, node: ex.Expression) -> str:
        """Return the source of an expression, after writing the constants that it needs."""
        return self.writer().write(node)

    def _variable(self, node: ex.Expression) -> str:
        if node in self._named:
            return self._named[node]
        if node in self._before:
            return self.assign(node, self.writer().plainly(node))
        if isinstance(node, ex.PLAIN) or self._uses.get(node, 0) < 2 or node not in self._sure:
            return ""
        return self.assign(node, self.writer().plainly(node))

    def assign(self, node: ex.Expression, source: str) -> str:
        """Put `source` into a new constant for an expression and return its name."""
        name = free(node.name or "value", self.taken)
        self.taken.add(name)
        self._named[node] = name
        self.lines.append(f"const {name} = {source};")
        return name


def returning(roots: list[ex.Expression], taken: set[str], used: set[str], held: Iterable[ex.Expression] = ()) -> str:
    """Return the statements that end with what some expressions give: one as it is, several in an array.

    What is in `held` is made once, however often the functions that are returned are called.
    """
    writer = Statements(set(RESERVED).union(taken), used=used, held=frozenset(held))
    for root in roots:
        writer.count(root)
    values = [writer.write(root) for root in roots]
    answer = values[0] if len(values) == 1 else f"[{', '.join(values)}]"
    return "\n".join([*writer.lines, f"return {answer};"])
