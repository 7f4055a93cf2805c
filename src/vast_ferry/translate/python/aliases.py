"""Whether what code changes may be the event's, though nobody saw it come that way.

What is made of the event as it was is followed through names, parts and loops (`Of.made`). It is lost from sight where
it is handed to code that we don't know, or put somewhere: into a queue, a context variable, an object's attribute, an
exception. Taken out there it is an ordinary value, and a change of it would be made to a copy:

    current.set(event)                 # made as it was, and handed on
    current.get()["who"] = "m-12"      # changes what was handed on, and no longer what `event` is

So where anything of the event that can be changed is `loose`, a function that changes a value must have made it anew
(`changed`), and by itself: a literal, a comprehension, what was parsed or asked of a service, an object of a class of
the project. A name is as fresh as all that it is given; a part, as the whole if all that stands in that is fresh.
Nothing that is not known to be fresh counts as fresh, and nothing that is not known to be held fast as held fast.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from vast_ferry.mapping.places import Attr
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import DEFINITION, Function, Module
from vast_ferry.translate.python.nodes import last_name, walk
from vast_ferry.translate.python.types import CHANGING, CHANGING_METHODS, FIXED, METHOD_TYPES, PUTTING, SAME_TYPE
from vast_ferry.translate.values import Class, Foreign, Func, Key, Of, Own, Std

#: How fresh a value is: perhaps somebody else's; made anew, of parts that may be; all of it made anew.
_NOT, _ITSELF, _ALL = 0, 1, 2
#: So deep is looked into what an expression is made of; and so deep counts what another function yields.
_DEEPEST, _DEEP = 12, 6

#: Modules whose functions give what they made themselves, of texts, bytes and numbers.
_MAKING = frozenset(
    ["json", "re", "base64", "binascii", "urllib", "csv", "datetime", "decimal", "time", "math", "random", "uuid"]
    + ["hashlib", "hmac", "os", "string", "html", "xml", "email", "io", "zlib", "gzip", "bz2", "lzma", "struct"]
    + ["secrets", "statistics", "fractions", "textwrap", "zoneinfo", "calendar", "unicodedata", "difflib", "shlex"]
    + ["ipaddress", "mimetypes", "posixpath", "pathlib", "locale", "platform", "logging", "tomllib", "configparser"]
    + ["tempfile", "zipfile", "tarfile", "http", "socket", "ssl", "smtplib", "sqlite3", "colorsys", "codecs", "sys"]
)
#: Built-in functions that give numbers, texts and the like, whatever they are given.
_PLAIN = frozenset(
    ["str", "bytes", "int", "float", "bool", "len", "sum", "round", "abs", "repr", "ord", "chr", "hex", "oct", "bin"]
    + [
        "range",
        "hash",
        "id",
        "isinstance",
        "issubclass",
        "callable",
        "any",
        "all",
        "format",
        "complex",
        "divmod",
        "pow",
    ]
    + ["print", "open", "bytearray", "object", "ascii", "input", "memoryview", "hasattr"]
)
#: What makes a container of what it is given.
_CONTAINERS = frozenset(
    ["list", "dict", "set", "tuple", "frozenset", "sorted", "collections.defaultdict", "collections.Counter"]
    + ["collections.OrderedDict", "collections.deque", "dict.fromkeys"]
)
_METHODS = ("staticmethod", "classmethod")
#: Bases of classes that make nothing of annotations.
_PLAIN_BASES = frozenset(["ABC", "object", "Generic", "Protocol", "Exception"])
#: Methods of text, of bytes, and of what holds only such, that give something new.
_TEXTUAL = (
    frozenset(METHOD_TYPES)
    | SAME_TYPE
    | frozenset(
        ["split", "rsplit", "splitlines", "partition", "rpartition", "find", "index", "count", "startswith", "endswith"]
        + ["substitute", "safe_substitute", "isoformat", "getvalue", "as_string", "fromisoformat", "astimezone"]
        + ["isdigit", "groups", "groupdict", "group", "hex", "timestamp", "date", "total_seconds", "as_tuple", "keys"]
    )
)
#: What only looks at what it is given, and keeps it nowhere.
_LOOKING = frozenset(
    ["len", "str", "repr", "print", "bool", "isinstance", "type", "json.dumps", "sum", "any", "all", "format", "hash"]
    + ["int", "float", "callable", "hasattr", "issubclass", "functools.wraps"]
)


#: Syntax that gives what is in it to where it is followed, or only looks at it.
_HOLDING = (
    *(ast.NamedExpr, ast.IfExp, ast.BoolOp, ast.For, ast.comprehension, ast.List, ast.Tuple, ast.Set, ast.Starred),
    *(ast.Expr, ast.Compare, ast.FormattedValue, ast.Subscript, ast.Attribute, ast.If, ast.While, ast.Assert),
    *(ast.Await, ast.UnaryOp, ast.AnnAssign),
)


@dataclass(slots=True)
class Aliases:
    """Tells where the event is loose, and where something is changed that may be somebody else's; by function."""

    flow: Flow
    _fresh: dict[tuple[Key, str], int] = field(default_factory=dict)
    _attributes: dict[str, list[tuple[Function | None, Module, ast.expr | None]]] | None = None
    _changed: dict[Key, ast.AST | None] = field(default_factory=dict)
    _loose: dict[Key, bool] = field(default_factory=dict)
    _calls: dict[int, list[Function]] | None = None
    _objects: bool | None = None

    # --- where the event is loose ---

    def loose(self, function: Function) -> bool:
        """Tell whether a function hands something of the event that can be changed to where it is lost from sight."""
        if function.key not in self._loose:
            mutable = [node for node in function.nodes.all if id(node) in function.ops and self._can_be_changed(node)]
            self._loose[function.key] = any(not self._is_held_fast(function, node) for node in mutable)
        return self._loose[function.key]

    def _can_be_changed(self, node: ast.AST) -> bool:
        value = self.flow.values.get(id(node))
        if isinstance(value, Foreign):
            if id(node) in self.flow.consumed or id(node) in self.flow.formed:
                return False
            value = self.flow.made(value) if isinstance(value, Spot) else Of(made=True)
        return isinstance(value, Of) and value.type not in FIXED and (value.made or value.holds)

    def _is_held_fast(self, function: Function, node: ast.AST) -> bool:
        """Tell whether a value goes on to where it is followed, or where it is only looked at."""
        above = function.nodes.parents.get(id(node))
        if isinstance(above, ast.keyword):
            node, above = above, function.nodes.parents.get(id(above))
        if isinstance(above, ast.Call):
            return node is above.func or self._is_looked_at(function, above)
        if isinstance(above, ast.Assign):
            shared = function.nodes.told_global
            names = [one for target in above.targets for one in walk(target)]
            return all(isinstance(one, (ast.Name, ast.Tuple, ast.Starred, ast.List)) for one in names) and not any(
                isinstance(one, ast.Name) and one.id in shared for one in names
            )
        if isinstance(above, ast.Return):
            return not function.generates
        return isinstance(above, _HOLDING)

    def _is_looked_at(self, function: Function, call: ast.Call) -> bool:
        """Tell whether what a call is given is only looked at, or is followed into a function of the project."""
        if id(call) in self.flow.ops:  # a service, or something of the call
            return True
        named = self.flow.standard_name(function.module, call.func)
        if isinstance(call.func, ast.Name) and call.func.id not in function.module.names:
            named = call.func.id if call.func.id not in function.nodes.bound else ""
        if named in _LOOKING:
            return not call.keywords
        called = self._called(call)
        plain = not any(isinstance(one, ast.Starred) for one in call.args) and all(one.arg for one in call.keywords)
        return bool(called) and plain and not any(one.node.args.vararg or one.node.args.kwarg for one in called)

    def _called(self, call: ast.Call) -> list[Function]:
        """Return the functions of the project that a call is known to call; worked out for all calls at once."""
        if self._calls is None:
            self._calls = {}
            for function in self.flow.functions.values():
                for _, node in function.calls:
                    self._calls.setdefault(id(node), []).append(function)
        return self._calls.get(id(call), [])

    # --- what is changed ---

    def changed(self, function: Function) -> ast.AST | None:
        """Return where a function changes what may be somebody else's; nothing if it does so nowhere."""
        if function.key not in self._changed:
            self._changed[function.key] = next(self._changes(function), None)
        return self._changed[function.key]

    def _changes(self, function: Function) -> Iterator[ast.AST]:
        inside = (node for node in function.nodes.each(*DEFINITION) if node is not function.node)
        inner = {id(one) for node in inside for one in walk(node)}
        for node in function.nodes.all:
            if id(node) in inner:
                continue
            for base in self._bases(function, node):
                if self._freshness(function, base) == _NOT:
                    yield node

    def _are_objects(self) -> bool:
        """Tell whether events are objects with attributes, at the source, and not plain data."""
        if self._objects is None:
            self._objects = any(
                isinstance(step, Attr)
                for name, kind in self.flow.source.kinds.items()
                for row in kind.event.rows
                for step in getattr(row.at, "steps", ())
                if self.flow.maps[name].role_of_name(row.at.root) != "context"
            )
        return self._objects

    def _bases(self, function: Function, node: ast.AST) -> Iterator[ast.expr]:
        """Yield what a node changes."""
        kinds = (ast.Subscript, ast.Attribute) if self._are_objects() else (ast.Subscript,)
        if isinstance(node, kinds) and not isinstance(node.ctx, ast.Load):
            yield node.value
        elif isinstance(node, ast.AugAssign) and isinstance(node.target, ast.Name):
            if not _is_scalar(node.value):
                yield ast.copy_location(ast.Name(node.target.id, ast.Load()), node.target)
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute):
            if self.flow.standard_name(function.module, node.func) in CHANGING:
                yield from node.args[:1]
            elif node.func.attr in CHANGING_METHODS and not self._is_followed(node):
                yield node.func.value
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in CHANGING:
            yield from node.args[:1]

    def _is_followed(self, call: ast.Call) -> bool:
        """Tell whether a call is of the provider's, or comes to a method of the project, which is looked at itself."""
        return id(call) in self.flow.ops or id(call) in self.flow.own_calls

    # --- how fresh something is ---

    def _freshness(self, function: Function, node: ast.expr, depth: int = 0) -> int:
        if depth > _DEEPEST:
            return _NOT
        method = getattr(self, f"_of_{node.__class__.__name__.lower()}", None)
        found: int = method(function, node, depth + 1) if method is not None else _NOT
        return found

    def _least(self, function: Function, nodes: list[ast.expr], depth: int) -> int:
        return min((self._freshness(function, one, depth) for one in nodes), default=_ALL)

    def _display(self, function: Function, parts: list[ast.expr], depth: int) -> int:
        return _ALL if self._least(function, parts, depth) == _ALL else _ITSELF

    def _of_constant(self, function: Function, node: ast.Constant, depth: int) -> int:
        return _ALL

    _of_joinedstr = _of_compare = _of_lambda = _of_constant

    def _of_list(self, function: Function, node: ast.List | ast.Tuple | ast.Set, depth: int) -> int:
        return self._display(function, node.elts, depth)

    _of_tuple = _of_set = _of_list

    def _of_dict(self, function: Function, node: ast.Dict, depth: int) -> int:
        return self._display(function, node.values, depth) if None not in node.keys else _ITSELF

    def _of_listcomp(self, function: Function, node: ast.ListComp | ast.SetComp | ast.GeneratorExp, depth: int) -> int:
        return self._display(function, [node.elt], depth)

    _of_setcomp = _of_generatorexp = _of_listcomp

    def _of_dictcomp(self, function: Function, node: ast.DictComp, depth: int) -> int:
        return self._display(function, [node.value], depth)

    def _of_binop(self, function: Function, node: ast.BinOp, depth: int) -> int:
        return max(self._least(function, [node.left, node.right], depth), _ITSELF)

    def _of_unaryop(self, function: Function, node: ast.UnaryOp, depth: int) -> int:
        return _ALL

    def _of_ifexp(self, function: Function, node: ast.IfExp, depth: int) -> int:
        return self._least(function, [node.body, node.orelse], depth)

    def _of_boolop(self, function: Function, node: ast.BoolOp, depth: int) -> int:
        return self._least(function, node.values, depth)

    def _of_namedexpr(self, function: Function, node: ast.NamedExpr, depth: int) -> int:
        return self._freshness(function, node.value, depth)

    def _of_await(self, function: Function, node: ast.Await, depth: int) -> int:
        return self._freshness(function, node.value, depth)

    def _of_subscript(self, function: Function, node: ast.Subscript, depth: int) -> int:
        whole = self._freshness(function, node.value, depth)
        if whole == _ALL or (whole and isinstance(node.slice, ast.Slice)):
            return whole
        return self._of_a_key(function, node, depth) if whole else _NOT

    def _of_a_key(self, function: Function, node: ast.Subscript, depth: int) -> int:
        """Return how fresh a part is that stands in a mapping under its own key, and is given no other value."""
        asked = node.slice.value if isinstance(node.slice, ast.Constant) else None
        found = []
        for holder, shown in self._shown(function, node.value):
            keys = [one.value if isinstance(one, ast.Constant) else None for one in shown.keys]
            if keys.count(asked) != 1 or asked is None or None in keys:
                return _NOT
            found.append(self._freshness(holder, shown.values[keys.index(asked)], depth))
        return min(found, default=_NOT)

    def _shown(self, function: Function, node: ast.expr, depth: int = 0) -> list[tuple[Function, ast.Dict]]:
        """Return the mappings that an expression may be, if each is written out and gets nothing that is not fresh."""
        if isinstance(node, ast.Dict):
            return [(function, node)]
        given: list[tuple[Function, ast.expr | int | None]] = []
        if isinstance(node, ast.Name) and self._bindings(function, node.id) and depth < 4:
            if not self._may_get_others(function, node.id, depth):
                given = [(function, one) for one in self._bindings(function, node.id) or ()]
        elif isinstance(node, ast.Call):
            called = self._called(node)
            returns = [(one, inner) for one in called for inner in one.nodes.all if isinstance(inner, ast.Return)]
            given = [(one, inner.value) for one, inner in returns]
        found = [self._shown(one, value, depth + 1) if isinstance(value, ast.expr) else [] for one, value in given]
        return [one for each in found for one in each] if all(found) else []

    def _of_call(self, function: Function, node: ast.Call, depth: int) -> int:
        if id(node) in self.flow.ops:  # what a service gives
            return _ALL
        name = self._standard(function, node.func)
        if name:
            return self._of_standard(function, node, name, depth)
        if self.flow.standard_name(function.module, node.func).partition(".")[0] in self.flow.theirs:
            # The provider's own gives nothing of the event that it was not given: a handle on a service.
            given = [*node.args, *(one.value for one in node.keywords)]
            return _ALL if self._least(function, given, depth) == _ALL else _NOT
        value = self.flow.named(function.module, node.func)
        called = self._called(node)
        if isinstance(value, Class) or any(one.node.name == "__init__" for one in called):
            return _ITSELF
        if called:
            return min(self._returned(one, depth) for one in called)
        if isinstance(node.func, ast.Attribute):
            return self._of_method(function, node.func, node, depth)
        return _NOT

    def _of_standard(self, function: Function, node: ast.Call, name: str, depth: int) -> int:
        if name in _PLAIN or name.partition(".")[0] in _MAKING or not (node.args or node.keywords):
            return _ALL
        if name in ("copy.deepcopy", "dataclasses.asdict", "dataclasses.astuple"):
            return _ALL
        given = [*node.args, *(one.value for one in node.keywords)]
        if name in _CONTAINERS:
            first = self._standard(function, node.args[0]) if name.endswith("defaultdict") and node.args else ""
            return _ALL if first in _CONTAINERS | _PLAIN else self._display(function, given, depth)
        return _ITSELF if name in ("copy.copy", "types.SimpleNamespace", "asyncio.Lock", "threading.Lock") else _NOT

    def _of_method(self, function: Function, method: ast.Attribute, node: ast.Call, depth: int) -> int:
        if method.attr in _TEXTUAL and not self.flow.may_be_asked(method):
            return _ALL
        whole = self._freshness(function, method.value, depth)
        if method.attr == "copy" and not self.flow.may_be_asked(method):
            return max(whole, _ITSELF)
        given = self._least(function, [*node.args, *(one.value for one in node.keywords)], depth)
        return _ALL if whole == _ALL and given == _ALL else _NOT

    def _returned(self, called: Function, depth: int) -> int:
        """Return how fresh what a function gives is."""
        found = [one.value for one in called.nodes.all if isinstance(one, ast.Return) and one.value is not None]
        plain = all(isinstance(one, ast.Name) and one.id in _METHODS for one in called.node.decorator_list)
        if called.generates or not plain or depth > 8:
            return _NOT
        return min((self._freshness(called, one, depth + 1) for one in found), default=_ALL)

    def _standard(self, function: Function, node: ast.expr) -> str:
        """Return the full name of something outside the project, and not the provider's."""
        name = self.flow.standard_name(function.module, node)
        if isinstance(node, ast.Name) and node.id not in function.module.names:
            name = node.id if node.id in _PLAIN | _CONTAINERS else ""
            return "" if self._bindings(function, node.id) is not None else name
        return "" if name.partition(".")[0] in self.flow.theirs else name

    def _of_attribute(self, function: Function, node: ast.Attribute, depth: int) -> int:
        base = self.flow.named(function.module, node.value)
        if isinstance(base, Std) and base.name.partition(".")[0] in _MAKING:
            return _ALL
        stores = self._stores().get(node.attr)
        if not stores:
            return _NOT
        return min(
            _NOT if value is None else self._freshness(holder, value, depth) if holder else self._at_top(module, value)
            for holder, module, value in stores
        )

    def _at_top(self, module: Module, node: ast.expr) -> int:
        """Return how fresh something is that stands at the top of a module or class."""
        if isinstance(node, (ast.Constant, ast.JoinedStr)):
            return _ALL
        if isinstance(node, (ast.List, ast.Dict, ast.Set, ast.Tuple, ast.ListComp, ast.DictComp, ast.SetComp)):
            return _ITSELF
        called = self.flow.standard_name(module, node.func) if isinstance(node, ast.Call) else ""
        plain = isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in _CONTAINERS
        own = isinstance(node, ast.Call) and isinstance(self.flow.named(module, node.func), Class)
        return _ITSELF if called in _CONTAINERS or called.partition(".")[0] in _MAKING or plain or own else _NOT

    def _stores(self) -> dict[str, list[tuple[Function | None, Module, ast.expr | None]]]:
        """Return all that attributes are given, by their names: in functions, and in the bodies of classes."""
        if self._attributes is None:
            self._attributes = {}
            for module in self.flow.modules.values():
                holders = self.flow.holders(module)
                for node in module.nodes.all:
                    if isinstance(node, ast.Attribute) and not isinstance(node.ctx, ast.Load):
                        above = module.nodes.parents.get(id(node))
                        if isinstance(above, ast.AugAssign) or isinstance(node.ctx, ast.Del):
                            continue
                        value = _given_to(module.nodes.parents, node)
                        self._attributes.setdefault(node.attr, []).append((holders.get(id(node)), module, value))
                    elif isinstance(node, ast.ClassDef):
                        for name, value in _class_values(node):
                            self._attributes.setdefault(name, []).append((None, module, value))
        return self._attributes

    def _of_name(self, function: Function, node: ast.Name, depth: int) -> int:
        key = (function.key, node.id)
        if key not in self._fresh:
            self._fresh[key] = _ALL  # what a name is given of itself makes it no less fresh
            self._fresh[key] = self._named(function, node.id, depth)
        return self._fresh[key]

    def _named(self, function: Function, name: str, depth: int) -> int:
        owner: Function | None = function
        while owner is not None and self._bindings(owner, name) is None:
            owner = owner.outer
        if owner is None:
            return self._of_the_module(function.module, name)
        if name in owner.every_name or (owner.cls is not None and name in owner.nodes.parameters):
            return self._of_parameter(owner, name, depth)
        found = [
            one if isinstance(one, int) else self._freshness(owner, one, depth)
            for one in self._bindings(owner, name) or ()
        ]
        least = min(found, default=_NOT)
        return min(least, _ITSELF) if least and self._may_get_others(owner, name, depth) else least

    def _of_the_module(self, module: Module, name: str) -> int:
        value = module.names.get(name)
        if isinstance(value, (Class, Func, Own, Std)):
            return _ITSELF  # that it is changed is told elsewhere, or nobody's matter
        uses = [use for use in module.nodes.uses(name) if not isinstance(use.ctx, ast.Load)]
        given = [module.nodes.parents.get(id(use)) for use in uses]
        values = [one.value for one in given if isinstance(one, (ast.Assign, ast.AnnAssign))]
        if len(values) < len(given):
            return _NOT
        return min((_NOT if one is None else self._at_top(module, one) for one in values), default=_NOT)

    def _of_parameter(self, function: Function, name: str, depth: int) -> int:
        first = function.node.args.args[:1]
        if function.cls is not None and not function.static and any(one.arg == name for one in first):
            return _ITSELF  # its own object
        if function.entry or function.referred or not function.calls or name not in function.parameters or depth > 6:
            return _NOT
        at, found = function.parameters.index(name), []
        for caller, call in function.calls:
            plain = caller is not None and not any(isinstance(one, ast.Starred) for one in call.args)
            given = call.args[at] if plain and at < len(call.args) else None
            given = next((one.value for one in call.keywords if one.arg == name), given)
            found.append(_NOT if given is None or caller is None else self._freshness(caller, given, depth + 1))
        return min(found)

    def _bindings(self, function: Function, name: str) -> list[ast.expr | int] | None:
        """Return what a function gives a name: expressions, or how fresh it is; nothing where it does not bind it."""
        if name in function.nodes.told_global:
            return [_NOT]
        if name in function.nodes.parameters:
            return [_NOT]
        uses = [use for use in function.nodes.uses(name) if isinstance(use.ctx, ast.Store)]
        others = [n for n in function.nodes.all if getattr(n, "name", None) == name and not isinstance(n, DEFINITION)]
        if not uses and not others:
            return None
        found: list[ast.expr | int] = [_NOT for _ in others]
        for use in uses:
            found += self._given(function, use)
        return found

    def _given(self, function: Function, use: ast.Name) -> list[ast.expr | int]:
        above = function.nodes.parents.get(id(use))
        if isinstance(above, ast.AugAssign) or (isinstance(above, ast.AnnAssign) and above.value is None):
            return []
        if isinstance(above, ast.NamedExpr):
            return [above.value]
        value = _given_to(function.nodes.parents, use)
        if value is not None:
            return [value]
        if isinstance(above, (ast.Tuple, ast.List)):
            whole = function.nodes.parents.get(id(above))
            if isinstance(whole, (ast.For, ast.comprehension)):
                return [_part(_part(whole.iter))]
        if isinstance(above, (ast.For, ast.comprehension)):
            return [_part(above.iter)]
        if isinstance(above, ast.withitem):
            return [self._entered(above.context_expr)]
        return [_NOT]

    def _entered(self, node: ast.expr) -> ast.expr | int:
        """Return what `with` gives a name: how fresh what a function of the project yields is, or what stands there."""
        called = self._called(node) if isinstance(node, ast.Call) else []
        if not called or not all(one.generates for one in called):
            return node
        yields = [(one, inner) for one in called for inner in one.nodes.each(ast.Yield, ast.YieldFrom)]
        plain = all(isinstance(inner, ast.Yield) for _, inner in yields) and all(map(self._manages, called))
        given = [(one, inner.value) for one, inner in yields if inner.value is not None]
        return min((self._freshness(one, value, _DEEP) for one, value in given), default=_ALL) if plain else _NOT

    def _manages(self, function: Function) -> bool:
        """Tell whether a function is made a context manager, and nothing else."""
        names = [self.flow.standard_name(function.module, one) for one in function.node.decorator_list]
        return len(names) == 1 and names[0] in ("contextlib.contextmanager", "contextlib.asynccontextmanager")

    def _may_get_others(self, function: Function, name: str, depth: int) -> bool:
        """Tell whether something that is not fresh may be put into what a name holds."""
        return any(self._may_get_at(function, use, depth) for use in function.nodes.uses(name))

    def _may_get_at(self, function: Function, use: ast.Name, depth: int) -> bool:
        parents = function.nodes.parents
        above = parents.get(id(use))
        if isinstance(above, ast.Subscript) and isinstance(above.ctx, ast.Store):
            put = parents.get(id(above))
            value = put.value if isinstance(put, (ast.Assign, ast.AugAssign)) else None
            return value is None or self._freshness(function, value, depth) < _ALL
        if isinstance(above, ast.Attribute):
            call = parents.get(id(above))
            given = [*call.args, *(one.value for one in call.keywords)] if isinstance(call, ast.Call) else []
            return above.attr in PUTTING and self._least(function, given, depth) < _ALL
        if isinstance(above, ast.Call) and use in above.args:
            called = self._standard(function, above.func)
            return called not in _PLAIN | _CONTAINERS and called.partition(".")[0] not in _MAKING
        other_name = isinstance(above, ast.Assign) and above.value is use
        return other_name or isinstance(above, (ast.keyword, ast.AugAssign))


def _is_scalar(node: ast.expr) -> bool:
    """Tell whether an expression gives a text or a number: what that is added to can't be changed in place."""
    if isinstance(node, ast.BinOp):
        return _is_scalar(node.left) or _is_scalar(node.right)
    if isinstance(node, ast.Call):
        name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
        return name in _PLAIN or name in METHOD_TYPES or name in SAME_TYPE
    return isinstance(node, (ast.Constant, ast.JoinedStr))


def _part(whole: ast.expr) -> ast.expr:
    """Return an expression that is a part of another."""
    return ast.copy_location(ast.Subscript(whole, ast.Constant(0), ast.Load()), whole)


def _given_to(parents: Mapping[int, ast.AST], target: ast.expr) -> ast.expr | None:
    """Return what a statement gives a target, alone or among as many as there are values; nothing where that varies."""
    above = parents.get(id(target))
    if isinstance(above, ast.AnnAssign):
        return above.value
    if isinstance(above, ast.Assign):
        return above.value
    whole = parents.get(id(above)) if isinstance(above, (ast.Tuple, ast.List)) else None
    if isinstance(whole, ast.Assign) and isinstance(above, (ast.Tuple, ast.List)):
        many = whole.value
        if isinstance(many, (ast.Tuple, ast.List)) and len(many.elts) == len(above.elts):
            return many.elts[above.elts.index(target)]
        return _part(many)
    return None


def _class_values(node: ast.ClassDef) -> Iterator[tuple[str, ast.expr | None]]:
    """Yield the attributes that a class's body gives values to; nothing where each object is given one.

    What is annotated may be a field, of which each object has its own, where a decorator or another class makes it so.
    """
    bases = {last_name(base.value if isinstance(base, ast.Subscript) else base) for base in node.bases}
    plain = not node.decorator_list and not node.keywords and bases <= _PLAIN_BASES
    for one in node.body:
        if isinstance(one, ast.AnnAssign) and isinstance(one.target, ast.Name):
            if not plain:
                yield one.target.id, None
            elif one.value is not None:
                yield one.target.id, one.value
        elif isinstance(one, ast.Assign):
            for target in one.targets:
                if isinstance(target, ast.Name):
                    yield target.id, one.value
