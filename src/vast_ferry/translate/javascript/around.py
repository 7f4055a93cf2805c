"""Functions around a handler: what is called in its place, and where that calls the one inside.

    const withErrors = (inner) => async (event, ctx) => { try { return await inner(event, ctx) } catch ... };
    export const run = withErrors(withUser("warden")(async (event, user) => ...));

What `withErrors` is handed it calls, and what it gives back is called with the event: that is a layer of the handler,
and the last of them is the handler itself. Each is followed like a handler; what a layer hands on of what it was
handed, it hands on at the target too, and what it adds comes behind that. A layer is only known where the function
inside is called and nothing else is done with it.

What a function gives that is called once, and is put around no other, is the handler: `makeHandler({ members })`.
"""

from __future__ import annotations

from dataclasses import dataclass

from vast_ferry.documents.javascript_file import Node
from vast_ferry.translate.javascript.composed import composed
from vast_ferry.translate.javascript.handlers import (
    PLAIN_FUNCTIONS,
    FunctionOf,
    Standing,
    function_at,
    given_back,
    is_called,
    is_export,
)
from vast_ferry.translate.javascript.looking import only_looks, parameters_of, patterns_of
from vast_ferry.translate.javascript.scopes import within
from vast_ferry.translate.javascript.stops import Stop
from vast_ferry.translate.javascript.values import arguments_of, bare, ends_the_function, in_try, only_value, own_nodes


@dataclass(frozen=True, slots=True)
class Maker:
    """A function that makes a layer: itself, the one at its file's top that it stands in, and what that is called by.

    `between` are the functions inside the one at the top, down to the layer's; `beside` is where else in the handler
    the owner is named, which is to be the same one.
    """

    stands: Standing
    owner: Standing
    named: Node
    between: tuple[Node, ...]
    beside: tuple[Node, ...] = ()
    stands_once: bool = False  # whether it can't come to stand twice


@dataclass(frozen=True, slots=True)
class Handed:
    """What one call of the function inside is given.

    `hands` tells by its arguments which of the provider's parameters each is, nothing for what is something else, which
    is in `adds`; `puts` is what is put into one of them on the way, by its number and the name: `{ ...event, user }`.
    `spread` is where one stands in such an object.
    """

    hands: tuple[int | None, ...]
    adds: tuple[Node, ...]
    puts: dict[tuple[int, str], Node]
    spread: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Layer:
    """One function around a handler, or the handler itself, which calls no other.

    `given` tells by its parameters which of the provider's each is, nothing for one that the layer around it adds;
    `rest` is the number of the first that a rest parameter takes.
    """

    stands: Standing
    given: tuple[int | None, ...] | None = None  # none where they are all the provider's, in order
    rest: int | None = None
    calls: tuple[Node, ...] = ()
    handed: tuple[Handed, ...] = ()  # by its calls
    maker: Maker | None = None
    inner: Node | None = None  # the parameter that has the function inside
    called_in: Standing | None = None  # where the maker is called

    @property
    def is_handler(self) -> bool:
        """Tell whether it is the handler itself."""
        return self.maker is None

    def of_provider(self, parameter: int) -> int | None:
        """Return which of the provider's parameters one of its own is, nothing for one that is another's."""
        if self.given is None:
            return parameter
        return self.given[parameter] if parameter < len(self.given) else None

    def passes_answers_on(self, *, by_writer: bool) -> bool:
        """Tell whether the answers of the function inside are this one's as they are, wherever it is called.

        `by_writer` where they are given by an object that it is handed: the call is then the end of all.
        """
        returned = {one.id for one in answers_of(self.stands.node)}
        for one in map(waited_for, self.calls):
            alone = one.parent.type == "expression_statement"
            if by_writer and alone:
                alone = ends_the_function(one.parent, self.stands.node.child_by_field_name("body"))
            if one.id not in returned and not alone:
                return False
        return True

    def may_catch(self) -> bool:
        """Tell whether what the function inside throws may be caught."""
        return any(in_try(one, self.stands.node) for one in self.calls)


def answers_of(function: Node) -> list[Node]:
    """Return the values that a function gives back, those of a choice each by itself."""
    body = function.child_by_field_name("body")
    if body.type != "statement_block":
        return choices_of(body)
    returns = [one for one in own_nodes(body) if one.type == "return_statement"]
    return [value for one in returns for inside in one.named_children[:1] for value in choices_of(inside)]


def choices_of(value: Node) -> list[Node]:
    """Return the values of which a choice gives one; itself where it is none."""
    inside = bare(value)
    if inside.type != "ternary_expression":
        return [value]
    return [one for way in ("consequence", "alternative") for one in choices_of(inside.child_by_field_name(way))]


def waited_for(call: Node) -> Node:
    """Return a call with what stands around it and only waits for it."""
    node = call
    while node.parent.type in ("parenthesized_expression", "await_expression"):
        node = node.parent
    return node


def is_call_of(value: Node, calls: tuple[Node, ...]) -> bool:
    """Tell whether a value is one of some calls, waited for or not."""
    return any(value.id == waited_for(one).id or bare(value).id == one.id for one in calls)


@dataclass(frozen=True, slots=True)
class Way:
    """How a layer is rewritten: whether its answers are turned, and whether what is inside stays as it was.

    That has to be handed all that it knows then, which is made whole here: `whole` says why. `caught` where what it
    throws may be caught by a layer around it; what that answers sets `set_anew`, whatever is told before.
    """

    layer: Layer
    outermost: bool = True
    turns: bool = True
    passes: bool = False  # what the function inside answers is turned already
    whole: str = ""
    caught: bool = False
    set_anew: frozenset[str] = frozenset()
    carried: tuple[tuple[int, str], ...] = ()  # what layers around it put into what it is handed: number, and name


class Chain:
    """Finds the layers of what a file exports; `handed` is how many things the provider hands over."""

    def __init__(self, function_of: FunctionOf, handed: int) -> None:
        self.function_of, self.handed = function_of, handed

    def layers(self, value: Standing) -> list[Layer]:
        """Return the layers that a value is made of, the outermost first; raises Stop where it can't be seen."""
        found: list[Layer] = []
        given: tuple[int | None, ...] | None = None
        at = value
        while at.node.type == "call_expression":
            made = self._made_once(at)
            if made is not None:
                at = made
                break
            several = composed(at, self.function_of)
            if several is None:
                layer, inside = self._layer(at, given)
                found.append(layer)
            else:
                steps, inside = several
                for step in steps:
                    found.append(self._step(at, step, given))
                    given = found[-1].handed[0].hands if found[-1].handed else ()
            if not found[-1].handed:
                return found
            given = found[-1].handed[0].hands
            at = self._inside(inside, at)
        return [*found, Layer(at, self._given(at.node, given))]

    def _given(self, function: Node, given: tuple[int | None, ...] | None) -> tuple[int | None, ...] | None:
        """Return which of the provider's a function's parameters are; of one that takes more, the rest are nobody's."""
        taken = len(parameters_of(function))
        if given is not None or taken <= self.handed:
            return given
        return tuple(at if at < self.handed else None for at in range(taken))

    def _made_once(self, at: Standing) -> Standing | None:
        """Return the function that a call gives which is the only one of its function, and puts it around no other."""
        called = at.node.child_by_field_name("function")
        maker = self._maker(at, called) if called.type == "identifier" else None
        arguments = arguments_of(at.node)
        if maker is None or maker.stands.file != at.file:
            return None
        if any(one.type == "spread_element" or self._is_a_function(at, one) for one in arguments):
            return None
        taken = patterns_of(maker.stands.node)
        bound = [maker.stands.scopes.of(one) for one in taken if one.type == "identifier"]
        if any(is_called(use) for one in bound if one is not None for use in one.uses):
            return None  # a function, of which nobody knows which it is
        binding = at.scopes.of(called)
        if binding is None or binding.uses != [called] or binding.name in at.file.exports.values():
            return None
        node = given_back(maker.stands)
        return Standing(at.file, at.scopes, node) if node is not None else None

    def _layer(self, at: Standing, given: tuple[int | None, ...] | None) -> tuple[Layer, Node]:
        """Return the layer that a call makes, and what it is around."""
        maker = self._maker(at, at.node.child_by_field_name("function"))
        arguments = arguments_of(at.node)
        layer = given_back(maker.stands) if maker is not None else None
        if maker is None or layer is None or any(one.type == "spread_element" for one in arguments):
            raise Stop("what it exports is no function that stands there", at.node)
        taken = patterns_of(maker.stands.node)
        names = dict(zip(range(len(arguments)), taken, strict=False))
        inside = [at_ for at_, one in enumerate(arguments) if at_ in names and self._is_a_function(at, one)]
        if len(inside) > 1:  # the one whose answers are those of the whole
            inside = [one for one in inside if _answers_with(maker.stands, layer, names[one])]
        if len(inside) != 1:
            return self._last(at, (maker, layer), given), at.node
        made = self._made(at, (maker, layer), names[inside[0]], given)
        if all(number is None for number in made.handed[0].hands):
            return self._last(at, (maker, layer), given), at.node
        return made, arguments[inside[0]]

    def _last(self, at: Standing, found: tuple[Maker, Node], given: tuple[int | None, ...] | None) -> Layer:
        """Return a layer inside of which nothing is the provider's: what it calls speaks the project's own language.

        It is the handler, as far as the provider is concerned, whatever functions it was made with.
        """
        maker, layer = found
        stands = Standing(maker.stands.file, maker.stands.scopes, layer)
        made = Maker(maker.stands, maker.owner, maker.named, (*maker.between, layer))
        return Layer(stands, self._given(layer, given), maker=made, called_in=at)

    def _step(self, at: Standing, called: Node, given: tuple[int | None, ...] | None) -> Layer:
        """Return the layer that one of several functions makes which are put around what is inside one in another."""
        maker = self._maker(at, called)
        layer = given_back(maker.stands) if maker is not None else None
        taken = parameters_of(maker.stands.node) if maker is not None else []
        if maker is None or layer is None or len(taken) != 1:
            raise Stop("what it exports is no function that stands there", called)
        return self._made(at, (maker, layer), taken[0].child_by_field_name("pattern") or taken[0], given)

    def _made(self, at: Standing, found: tuple[Maker, Node], name: Node, given: tuple[int | None, ...] | None) -> Layer:
        """Return a layer of which it is known what makes it, and by what name that knows what is inside."""
        maker, layer = found
        given = self._given(layer, given)
        binding = maker.stands.scopes.of(name) if name.type == "identifier" else None
        if binding is None or binding.writes or len(binding.declared) != 1:
            raise Stop("what is around it gives what is inside another name", at.node)
        calls = [one.parent for one in binding.uses if is_called(one)]
        if len(calls) != len(binding.uses) or not all(within(one, layer) for one in calls) or not calls:
            raise Stop("what is around it does more with it than to call it", at.node)
        stands = Standing(maker.stands.file, maker.stands.scopes, layer)
        rest = _rest_of(stands)
        handed = [_handed(stands, one, given or tuple(range(self.handed)), rest) for one in calls]
        if len({(one.hands, len(one.adds)) for one in handed}) != 1:
            raise Stop("what is around it calls it in several ways", at.node)
        between = (*maker.between, layer)
        made = Maker(maker.stands, maker.owner, maker.named, between)
        return Layer(stands, given, rest, tuple(calls), tuple(handed), made, name, at)

    def _inside(self, value: Node, at: Standing) -> Standing:
        """Return what a name stands for that is put into a layer and used nowhere else, or the value itself."""
        seen: set[int] = set()
        while value.type == "identifier":
            binding = at.scopes.of(value)
            if binding is None or binding.writes or len(binding.declared) != 1 or value.id in seen:
                raise Stop("what is inside can't be seen", value)
            seen.add(value.id)
            others = [one for one in binding.uses if one != value and not is_export(at.file, one)]
            exported = binding.name in at.file.exports.values()
            if others or exported or binding.kind == "import":
                raise Stop("it is called or handed on by other code", (others or [value])[0])
            function = function_at(binding.declared[0])
            if function is not None:
                return Standing(at.file, at.scopes, function)
            above = binding.declared[0].parent
            inner = above.child_by_field_name("value") if above.type == "variable_declarator" else None
            if inner is None or binding.kind != "const":
                raise Stop("what is inside can't be seen", value)
            value = inner
        if value.type != "call_expression" and value.type not in PLAIN_FUNCTIONS:
            raise Stop("what is inside can't be seen", value)
        return Standing(at.file, at.scopes, value)

    def _is_a_function(self, at: Standing, value: Node) -> bool:
        """Tell whether an argument is a function, or what gives one."""
        if value.type in PLAIN_FUNCTIONS:
            return True
        if value.type == "call_expression":
            return self._maker(at, value.child_by_field_name("function")) is not None
        if value.type != "identifier":
            return False
        if self.function_of(at.file, at.scopes, value) is not None:
            return True
        inner, seen = only_value(at.scopes, value), {value.id}
        while inner is not None and inner.type == "identifier" and inner.id not in seen:
            seen.add(inner.id)
            inner = only_value(at.scopes, inner)
        return inner is not None and inner.type != "identifier" and self._is_a_function(at, inner)

    def _maker(self, at: Standing, called: Node) -> Maker | None:
        """Return the function that a call comes to, where what it gives back is a function."""
        if called.type == "call_expression":
            outer = self._maker(at, called.child_by_field_name("function"))
            inner = given_back(outer.stands) if outer is not None else None
            if outer is None or inner is None:
                return None
            stands = Standing(outer.stands.file, outer.stands.scopes, inner)
            made = Maker(stands, outer.owner, outer.named, (*outer.between, inner))
        else:
            if called.type not in ("identifier", "member_expression"):
                return None
            found = self.function_of(at.file, at.scopes, called)
            if found is None or declared_at_top(found.node) is None:
                return None
            made = Maker(found, found, called, ())
        plain = not any(child.type in ("async", "*") for child in made.stands.node.children)
        return made if plain and given_back(made.stands) is not None else None


def declared_at_top(function: Node) -> Node | None:
    """Return the statement of a file's top that declares a function, alone; nothing where there is none."""
    statement = function if function.type == "function_declaration" else function.parent.parent
    if statement is None or (statement != function and function.parent.type != "variable_declarator"):
        return None
    if statement != function and len(statement.named_children) != 1:
        return None
    above = statement.parent
    if above is not None and above.type == "export_statement":
        statement, above = above, above.parent
    return statement if above is not None and above.type == "program" else None


def declaration_of(function: Node) -> Node:
    """Return the statement that declares the owner of a layer; of a method, that is itself."""
    found = function if function.type == "method_definition" else declared_at_top(function)
    assert found is not None
    return found


def _answers_with(stands: Standing, layer: Node, name: Node) -> bool:
    """Tell whether a layer answers with what a function answers that it has under a name."""
    binding = stands.scopes.of(name)
    calls = tuple(one.parent for one in binding.uses if is_called(one)) if binding is not None else ()
    return any(is_call_of(one, calls) for one in answers_of(layer))


def _rest_of(stands: Standing) -> int | None:
    """Return from which number on a rest parameter takes what a function is handed, where that is only handed on."""
    taken = parameters_of(stands.node)
    pattern = (taken[-1].child_by_field_name("pattern") or taken[-1]) if taken else None
    if pattern is None or pattern.type != "rest_pattern":
        return None
    name = pattern.named_children[0]
    binding = stands.scopes.of(name) if name.type == "identifier" else None
    if binding is None or binding.writes or not all(one.parent.type == "spread_element" for one in binding.uses):
        raise Stop("what is around it takes the rest of what it is handed", pattern)
    return len(taken) - 1


def _handed(stands: Standing, call: Node, every: tuple[int | None, ...], rest: int | None) -> Handed:
    """Return what a call of the function inside is given; `every` tells whose the parameters around the call are."""
    names = patterns_of(stands.node)
    own = {stands.file.text(one): number for number, one in enumerate(names) if one.type == "identifier"}

    def of_provider(node: Node | None) -> int | None:
        binding = stands.scopes.of(node) if node is not None and node.type == "identifier" else None
        number = own.get(binding.name) if binding is not None and binding.scope == stands.node else None
        return every[number] if number is not None and number < len(every) else None

    hands: list[int | None] = []
    adds: list[Node] = []
    puts: dict[tuple[int, str], Node] = {}
    spread: list[Node] = []
    for one in call.child_by_field_name("arguments").named_children:
        if one.type == "comment":
            continue
        if one.type == "spread_element":
            inner = one.named_children[0]
            binding = stands.scopes.of(inner) if inner.type == "identifier" else None
            if rest is None or binding is None or binding.declared[0].parent != names[rest]:
                raise Stop("what is around it calls it with what can't be counted", one)
            hands += every[rest:]
            continue
        base, more = _with_more(stands, one)
        number = of_provider(base)
        if number is None:
            adds.append(one)
        elif base != one:
            puts |= {(number, name): value for name, value in more.items()}
            spread.append(base)
        hands.append(number)
    numbers = [one for one in hands if one is not None]
    if len(numbers) != len(set(numbers)):
        raise Stop("what is around it hands the same on twice", call)
    if not all(only_looks(stands.file, one) for one in puts.values()) and not all(
        only_looks(stands.file, one) for one in adds
    ):
        raise Stop("what is around it calls it with what may depend on its order", call)
    return Handed(tuple(hands), tuple(adds), puts, tuple(spread))


def _with_more(stands: Standing, value: Node) -> tuple[Node | None, dict[str, Node]]:
    """Return a name, and what is put beside all that it has.

    `{ ...event, user }` and `Object.assign({}, event, { user })` do so.
    """
    if value.type == "identifier":
        return value, {}
    inside = [one for one in value.named_children if one.type != "comment"]
    if value.type == "object" and inside and inside[0].type == "spread_element":
        base, pairs = inside[0].named_children[0], inside[1:]
    elif value.type == "call_expression" and stands.file.text(inside[0]) == "Object.assign":
        given = [one for one in inside[1].named_children if one.type != "comment"]
        if len(given) != 3 or stands.file.text(given[0]) != "{}" or given[2].type != "object":
            return None, {}
        base, pairs = given[1], [one for one in given[2].named_children if one.type != "comment"]
    else:
        return None, {}
    more: dict[str, Node] = {}
    for one in pairs:
        key = one.child_by_field_name("key") if one.type == "pair" else one
        if key.type not in ("property_identifier", "shorthand_property_identifier"):
            return None, {}
        more[stands.file.text(key)] = one.child_by_field_name("value") if one.type == "pair" else one
    return (base, more) if "__proto__" not in more else (None, {})
