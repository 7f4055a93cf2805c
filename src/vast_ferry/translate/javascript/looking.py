"""Whether code only looks at what it is given: what stands of the rule that nobody may change a value made anew.

Nothing here writes; whatever is not known to look only counts as a change.
"""

from __future__ import annotations

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, walk
from vast_ferry.translate.javascript.handlers import function_at
from vast_ferry.translate.javascript.scopes import Scopes, bound_in, is_written, within
from vast_ferry.translate.javascript.values import arguments_of

#: What stands around an expression and changes nothing.
AROUND = frozenset(("parenthesized_expression", "non_null_expression"))
#: Methods of arrays, texts, maps and bytes that change nothing of what they are called on; first those that call what
#: they are given.
_CALLING = frozenset(
    (  # noqa: SIM905
        "every filter find findIndex findLast flatMap forEach map reduce replace replaceAll some"
    ).split()
)
_LOOKS = _CALLING | frozenset(
    (  # noqa: SIM905
        "at concat endsWith entries flat get getAll getSetCookie has hasOwnProperty includes indexOf join keys "
        "lastIndexOf match one padEnd padStart pairs readUInt32BE search slice split startsWith "
        "substring toFixed toISOString toLowerCase toString toUpperCase trim trimEnd trimStart values"
    ).split()
)
#: Methods of lists, sets, texts and patterns that only look at what they are asked for.
_ASKING = frozenset(
    ("decode", "includes", "indexOf", "lastIndexOf", "has", "get", "test", "startsWith", "endsWith", "match")
)
#: Functions that only look at what they are given.
_ONLY_LOOK = frozenset(
    (
        "JSON.stringify",
        "JSON.parse",
        "Object.keys",
        "Object.entries",
        "Object.values",
        "Object.hasOwn",
        "String",
        "Number",
        "Boolean",
    )
    + (
        "Array.isArray",
        "Array.from",
        "Buffer.from",
        "console.log",
        "console.error",
        "parseInt",
        "parseFloat",
        "encodeURIComponent",
    )
)
_ONLY_LOOK_NEW = frozenset(("URLSearchParams", "Headers", "Map", "Set", "TextDecoder", "Date"))


def only_looks(file: JavaScriptFile, node: Node) -> bool:
    """Tell whether an expression changes nothing, and asks nobody who might: it may be evaluated sooner or later."""
    kind = node.type
    if kind in (
        "identifier",
        "shorthand_property_identifier",
        "string",
        "number",
        "true",
        "false",
        "null",
        "undefined",
    ):
        return True
    if kind in _PARTS:
        inner = [one for one in node.named_children if one.type not in _NO_PART]
        return all(only_looks(file, one) for one in inner)
    if kind == "member_expression":
        return only_looks(file, node.child_by_field_name("object"))
    if kind == "arrow_function":
        return only_looks(file, node.child_by_field_name("body"))
    if kind == "unary_expression":
        return node.children[0].type != "delete" and only_looks(file, node.named_children[0])
    if kind == "call_expression":
        called, given = node.child_by_field_name("function"), node.child_by_field_name("arguments")
        handed = given.named_children if given.type == "arguments" else []
        if given.type != "arguments" or not all(only_looks(file, one) for one in handed):
            return False
        asks = called.type == "member_expression" and file.text(called.child_by_field_name("property")) in _CALLING
        if any(one.type in ("identifier", "member_expression") for one in handed[0 if asks else 1 :]):
            return False  # it may be called, and nobody knows what that does
        if called.type == "member_expression" and file.text(called) not in _ONLY_LOOK:
            looks = file.text(called.child_by_field_name("property")) in _LOOKS
            return looks and only_looks(file, called.child_by_field_name("object"))
        return file.text(called) in _ONLY_LOOK
    return False


#: What is made of its parts, and does nothing else; and what in it is no part.
_PARTS = frozenset(
    ("template_string", "template_substitution", "object", "array", "pair", "spread_element", "binary_expression")
    + ("ternary_expression", "parenthesized_expression", "subscript_expression", "as_expression", "non_null_expression")
)
_NO_PART = frozenset(("string_fragment", "escape_sequence", "comment", "property_identifier", "computed_property_name"))


#: Functions that only list what an object has.
_LISTING = ("Object.keys", "Object.hasOwn", "Object.entries")


def only_asked(scopes: Scopes, name: Node) -> bool:
    """Tell whether an object is only asked for its parts, wherever it is named, and is never changed."""
    binding = scopes.of(name)
    for use in binding.uses if binding is not None else ():
        above = use.parent
        if is_asked(use) or above.type == "binary_expression":  # `method in routes`
            continue
        if above.type != "arguments" or scopes.file.text(above.parent.children[0]) not in _LISTING:
            return False
    return binding is not None and binding.name not in scopes.file.exports.values()


def is_asked(use: Node) -> bool:
    """Tell whether a use of an object only asks it for a part."""
    above = use.parent
    part = above.type in ("member_expression", "subscript_expression") and above.child_by_field_name("object") == use
    return part and not is_written(above)


def asks_for_names(use: Node) -> bool:
    """Tell whether a use of an object only asks which names it has."""
    above = use.parent
    if above.type == "binary_expression":
        return bool(above.child_by_field_name("operator").type == "in" and above.child_by_field_name("right") == use)
    called = above.parent.child_by_field_name("function") if above.type == "arguments" else None
    return called is not None and called.text.decode("utf-8", "replace") in ("Object.keys", "Object.hasOwn")


class Looks:
    """Whether what a node gives is only looked at, through the functions of its file that it is handed to.

    `called` is the function that is called for each event, if it is known, and the names of its parameters by which it
    has what is the provider's; `modules` are the provider's. What these have changes nothing of what it is given.
    """

    def __init__(
        self,
        file: JavaScriptFile,
        scopes: Scopes,
        modules: frozenset[str] = frozenset(),
        called: tuple[Node | None, frozenset[str]] = (None, frozenset()),
    ) -> None:
        self.file, self.scopes, self.modules = file, scopes, modules
        self.function, self.handed = called
        self.inside: list[int] = []  # functions that are gone through

    def at(self, node: Node, *, deep: bool) -> bool:
        """Tell whether it is; `deep`: what is in it can be changed as well."""
        return self._is_told_to_the_provider(node) or self._is_looked_at(node, deep=deep)

    def _is_looked_at(self, node: Node, *, deep: bool) -> bool:
        above = node.parent
        while above.type in (*AROUND, "as_expression", "satisfies_expression") or _gives_on(self.file, above, node):
            node, above = above, above.parent
        kind = above.type
        if kind in ("member_expression", "subscript_expression") and above.child_by_field_name("object") == node:
            return self._asked_of(above, deep=deep)
        if kind == "binary_expression":
            return not self._asks_if_one(above, node)
        if kind in ("template_substitution", "if_statement", "while_statement"):
            return True
        if kind == "arguments":
            return self._handed_to(above.parent, node, deep=deep)
        if kind == "variable_declarator":
            name = above.child_by_field_name("name")
            return (name.type == "object_pattern" and not deep) or self.names(name, deep=deep)
        if kind == "unary_expression":
            return bool(above.children[0].type != "delete")
        if kind == "ternary_expression":
            return bool(above.child_by_field_name("condition") == node)
        if kind == "for_in_statement":
            return bool(above.child_by_field_name("right") == node) and not deep
        return bool(kind == "spread_element") and not deep

    def _asks_if_one(self, comparison: Node, node: Node) -> bool:
        """Tell whether it is asked if an object is another, which one that is made at each read never is."""
        if self.file.text(comparison.child_by_field_name("operator")) not in ("==", "===", "!=", "!=="):
            return False
        sides = [comparison.child_by_field_name(side) for side in ("left", "right")]
        other = next(one for one in sides if one != node)
        plain = ("null", "undefined", "string", "number", "true", "false", "template_string")
        return other.type not in plain and not self._was_there_before(other)

    def _is_told_to_the_provider(self, node: Node) -> bool:
        """Tell whether a value is given to a call of the provider's, by itself or within an object or a list."""
        while node.parent.type in ("pair", "object", "array", "spread_element"):
            node = node.parent
        call = node.parent.parent if node.parent.type == "arguments" else None
        root = call.child_by_field_name("function") if call is not None and call.type == "call_expression" else None
        while root is not None and root.type in ("member_expression", "call_expression"):
            root = root.child_by_field_name("object") or root.child_by_field_name("function")
        binding = self.scopes.of(root) if root is not None and root.type == "identifier" else None
        if binding is None or binding.writes or len(binding.declared) != 1:
            return False
        if binding.kind == "parameter":
            return binding.name in self.handed and binding.scope == self.function
        return any(link.module in self.modules and binding.name in link.names for link in self.file.links)

    def _was_there_before(self, node: Node) -> bool:
        """Tell whether a value is none of the event's: its name got it before there was one, and gets no other."""
        binding = self.scopes.of(node) if node.type == "identifier" else None
        if binding is None or self.function is None or binding.writes or len(binding.declared) != 1:
            return False
        around = binding.scope != self.function and within(self.function, binding.scope)
        return around and binding.kind in ("const", "let", "parameter")

    def names(self, pattern: Node, *, deep: bool) -> bool:
        """Tell whether what a pattern unpacks is only looked at, under each of its names."""
        target = pattern.child_by_field_name("value") or pattern
        deep = deep or target.type not in ("identifier", "shorthand_property_identifier_pattern")
        bindings = [self.scopes.of(name) for name in bound_in(pattern)]
        return all(
            one is not None and not one.writes and all(self.at(use, deep=deep) for use in one.uses) for one in bindings
        )

    def _asked_of(self, asked: Node, *, deep: bool) -> bool:
        """Tell whether what is asked of a value changes nothing of it."""
        if is_written(asked):
            return False
        beyond = asked.parent
        if beyond.type == "call_expression" and beyond.child_by_field_name("function") == asked:
            name = asked.child_by_field_name("property")
            return name is not None and self.file.text(name) in _LOOKS and not deep
        return self.at(asked, deep=True) if deep else True

    def _handed_to(self, call: Node, node: Node, *, deep: bool) -> bool:
        """Tell whether a call only looks at what it is given."""
        if call.type == "new_expression":
            return self.file.text(call.child_by_field_name("constructor")) in _ONLY_LOOK_NEW
        called = call.child_by_field_name("function")
        if called.type == "member_expression" and self._is_standard(called.child_by_field_name("object")):
            return self.file.text(called.child_by_field_name("property")) in _ASKING
        return self.file.text(called) in _ONLY_LOOK or self._looks_inside(called, call, node, deep=deep)

    def _is_standard(self, node: Node) -> bool:
        """Tell whether a value is certainly a list, a set, a text or a pattern of the language's own."""
        if node.type in ("array", "string", "template_string", "regex"):
            return True
        if node.type == "new_expression":
            return self.file.text(node.child_by_field_name("constructor")) in ("Set", "Map", "TextDecoder")
        binding = self.scopes.of(node) if node.type == "identifier" else None
        if binding is None or binding.writes or len(binding.declared) != 1:
            return False
        above = binding.declared[0].parent
        value = above.child_by_field_name("value") if above.type == "variable_declarator" else None
        return above.type == "rest_pattern" or (
            value is not None and value.type != "identifier" and self._is_standard(value)
        )

    def _looks_inside(self, called: Node, call: Node, node: Node, *, deep: bool) -> bool:
        """Tell whether a function of the file only looks at what it is handed, under the name that this has there."""
        binding = self.scopes.of(called) if called.type == "identifier" else None
        if binding is None or binding.writes or len(binding.declared) != 1 or binding.kind == "import":
            return False
        function = function_at(binding.declared[0])
        if function is None or function.id in self.inside or self._takes_otherwise(function):
            return False
        given = arguments_of(call)
        at = next(number for number, one in enumerate(given) if one.start_byte <= node.start_byte < one.end_byte)
        taken = parameters_of(function)
        if any(one.type == "spread_element" for one in given[:at]) or at >= len(taken):
            return False
        name = taken[at].child_by_field_name("pattern") or taken[at]
        bound = self.scopes.of(name) if name.type == "identifier" else None
        if bound is None or bound.writes or len(bound.declared) != 1:
            return False
        self.inside.append(function.id)
        try:
            return all(self.at(use, deep=deep) for use in bound.uses)
        finally:
            self.inside.pop()

    def _takes_otherwise(self, function: Node) -> bool:
        """Tell whether a function may take its arguments without their names, or goes on when it is asked to."""
        return any(
            (one.type == "identifier" and self.file.text(one) == "arguments") or one.type == "yield_expression"
            for one in walk(function)
        )


def parameters_of(function: Node) -> list[Node]:
    """Return the nodes of a function's parameters."""
    single = function.child_by_field_name("parameter")
    every = function.child_by_field_name("parameters")
    return [single] if single is not None else [one for one in every.named_children if one.type != "comment"]


def patterns_of(function: Node) -> list[Node]:
    """Return the names, or patterns, of a function's parameters."""
    return [one.child_by_field_name("pattern") or one for one in parameters_of(function)]


def _gives_on(file: JavaScriptFile, above: Node, node: Node) -> bool:
    """Tell whether what a node gives may be what an expression around it gives: `a ?? b`, `a || b`, `x && b`."""
    if above.type != "binary_expression":
        return False
    operator = file.text(above.child_by_field_name("operator"))
    return operator in ("||", "??") or (operator == "&&" and above.child_by_field_name("right") == node)
