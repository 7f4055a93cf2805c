"""Expressions followed, sort by sort: what each gives, and what is done in it with places."""

from __future__ import annotations

import ast
import builtins

from vast_ferry.mapping.by_hand import How
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.batches import only_goes_through
from vast_ferry.translate.python.data_classes import fields_of, is_data_class
from vast_ferry.translate.python.following import METHODS
from vast_ferry.translate.python.functions import DATA, MADE, NOTHING
from vast_ferry.translate.python.listing import Listing
from vast_ferry.translate.python.nodes import in_generator, walk
from vast_ferry.translate.python.tables import is_called_or_tested
from vast_ferry.translate.python.types import (
    type_of_constant,
)
from vast_ferry.translate.values import (
    Batch,
    Bound,
    Clash,
    Class,
    Env,
    Foreign,
    Func,
    Instance,
    Of,
    OneOf,
    Own,
    Parsed,
    Rest,
    Std,
    Table,
    Value,
)

NONE = Of("NoneType")
_TYPED: dict[type, Of] = {kind: Of(kind.__name__) for kind in (str, bytes, int, float, bool, type(None), complex)}
#: What compares values, and doesn't ask whether they are equal.
_NOT_EQUALITY = (ast.Lt, ast.LtE, ast.Gt, ast.GtE, ast.Is, ast.IsNot)
#: Names by which code may reach names that we don't see.
_HIDDEN = frozenset(["exec", "eval", "globals", "locals", "vars", "__import__"])


def _an_object(*values: Value) -> Instance | None:
    """Return the object of the project's that each of some values is, unless it is None."""
    found = [value for value in values if value != NONE]
    one = found[0] if found else None
    return one if isinstance(one, Instance) and all(value == one for value in found) else None


class Expressions(Listing):
    """What follows expressions."""

    def lookup(self, name: str) -> Value:
        """Return what a name holds, without noting that it is read."""
        if name in self.env:
            return self.env[name].value
        return self.module.names.get(name, NOTHING)

    def read(self, node: ast.Name) -> Value:
        """Return what a name holds where it is read."""
        bound = self.env.get(node.id)
        if bound is None:
            self._not_bound(node)
            return self._of_the_module(node)
        value = bound.value
        if isinstance(value, Clash):
            if self.function is None or value.held:
                raise self.stop("rebound", node)
            self._keep(value.origins)
            return NOTHING
        function = self.function
        if not bound.origin or function is None:
            return value
        if bound.origin not in function.uses and isinstance(value, Foreign):  # from a function around this one
            function = function.outer
            while function is not None and bound.origin not in function.uses:
                function = function.outer
        if function is not None and bound.origin in function.uses:
            function.uses[bound.origin].reads.append(node)
            if isinstance(value, Batch) and only_goes_through(node, function.nodes.parents):
                self.flow.formed.add(id(node))
                self.mark(node)
        return value

    def _keep(self, origins: frozenset[int]) -> None:
        """Let assignments stay, in this function or in one around it, which is followed anew then."""
        function = self.function
        while function is not None and origins:
            own = {one for one in origins if one in function.uses}
            if function is not self.function and not own <= function.keep:
                self.flow.waiting[function.key] = None
            function.keep |= own if function is not self.function else origins
            function = function.outer

    def _not_bound(self, node: ast.Name) -> None:
        """Keep all assignments to a name of the function's that is read where none may have been made."""
        if self.function is not None and node.id not in self._shared():
            stores = [use for use in self.function.nodes.uses(node.id) if isinstance(use.ctx, ast.Store)]
            self.function.keep.update(map(id, stores))

    def _looks_at_names(self, node: ast.Name) -> None:
        """Note code that may use any name around it; refuse it where one of them holds something of the event's."""
        if node.id == "__import__":
            self.flow.refer_all()
        said = _said_in_code(self.module.nodes.parents.get(id(node)))
        for name, value in self.module.names.items():
            if said is None or name in said:
                self.flow.refer(value)
        if self.function is not None and self._sees_foreign():
            raise self.stop("hidden-names", node)

    def _of_one(self, node: ast.Name) -> bool:
        """Tell whether `vars` is asked of one object, and so not of the names around it."""
        call = self.module.nodes.parents.get(id(node))
        return node.id == "vars" and isinstance(call, ast.Call) and call.func is node and len(call.args) == 1

    def _of_the_module(self, node: ast.Name) -> Value:
        """Return what a name is that the function does not bind."""
        value = self.module.names.get(node.id)
        if isinstance(value, Class):
            self._is_plain_class(value, node)
        if isinstance(value, Instance) and self.flow.is_made_otherwise(value.key):
            return NOTHING
        if value is not None:
            return self.flow.service(value)
        if node.id in self.module.nodes.top_names and not self.flow.only_holds_others(self.module, node.id):
            return NOTHING  # an object of any class
        if node.id in _HIDDEN and not self._of_one(node):
            self._looks_at_names(node)
        return Std(f"builtins.{node.id}")

    def _sees_foreign(self) -> bool:
        return any(isinstance(bound.value, (Foreign, Clash)) for bound in self.env.values())

    # --- expressions ---

    def eval(self, node: ast.expr) -> Value:
        """Follow an expression and return what it is to us."""
        method = getattr(self, METHODS[node.__class__], None)
        value: Value = method(node) if method is not None else self._children(node)
        if value is NOTHING:
            return value
        if value.__class__ is Of:
            if value.type or value.made or value.holds:
                self.flow.values[id(node)] = value
                if self.function is not None:
                    self.function.ops.add(id(node))
        elif isinstance(value, Foreign):
            self.flow.values[id(node)] = value
            self.mark(node)
        elif value.__class__ is Instance and not self._stays_in_sight(node):
            self.flow.out_of_sight(value)
        return value

    def _stays_in_sight(self, node: ast.expr) -> bool:
        """Tell whether what is done with an object where it stands is seen: what is handed to a call is told there."""
        above = self.module.nodes.parents.get(id(node))
        if self.function is not None and self.function.made_up:  # it keeps all that it is handed in its own object
            return isinstance(node, ast.Name) and node.id == "self"
        if isinstance(above, (ast.Assign, ast.AnnAssign, ast.NamedExpr)):
            targets = above.targets if isinstance(above, ast.Assign) else [above.target]
            named = all(isinstance(one, ast.Name) and one.id not in self._shared() for one in targets)
            return named or all(map(self._is_kept_plainly, targets))
        if isinstance(above, ast.Return):
            return self.function is not None and not self.function.entry and not self.function.generates
        if isinstance(above, ast.Compare):
            return all(isinstance(one, (ast.Is, ast.IsNot)) for one in above.ops)
        if isinstance(above, (ast.If, ast.While, ast.Assert, ast.IfExp)):
            return above.test is node
        return isinstance(above, (ast.Attribute, ast.Expr, ast.Call, ast.keyword, ast.withitem))

    def _is_kept_plainly(self, target: ast.expr) -> bool:
        """Tell whether an object of the project's that is no data class keeps what is assigned, under an attribute."""
        base = self.what_it_names(target.value) if isinstance(target, ast.Attribute) else NOTHING
        return isinstance(base, Instance) and not is_data_class(self.flow, base.key)

    def _children(self, node: ast.expr) -> Value:
        for child in ast.iter_child_nodes(node):
            if isinstance(child, ast.expr):
                self.eval(child)
            elif isinstance(child, ast.keyword):
                self.eval(child.value)
        return Of(type_of_constant(node))

    def _display(self, node: ast.List | ast.Tuple | ast.Set | ast.Dict, *parts: ast.expr | None) -> Value:
        values = [self.eval(part) for part in parts if part is not None]
        for value in values:
            self.made(value)
            self.put_away(value)
        return Of(type_of_constant(node), holds=any(self._gives_parts(value) for value in values))

    def _list_(self, node: ast.List) -> Value:
        return self.rows(node) or self._display(node, *node.elts)

    def _tuple_(self, node: ast.Tuple) -> Value:
        return self.rows(node) or self._display(node, *node.elts)

    def _set_(self, node: ast.Set) -> Value:
        return self._display(node, *node.elts)

    def _dict_(self, node: ast.Dict) -> Value:
        table = self.table(node)
        if table is not None:
            self._display(node, *node.keys)
            return table
        return self._display(node, *(one for pair in zip(node.keys, node.values, strict=True) for one in pair))

    def _starred_(self, node: ast.Starred) -> Value:
        rest = self.lookup(node.value.id) if isinstance(node.value, ast.Name) else None
        if isinstance(rest, Rest) and self.function is not None and isinstance(node.value, ast.Name):
            self.flow.pass_(self.function, node.value.id, NOTHING)  # whoever takes it now gets it as it was
        return Of(holds=True) if self._gives_parts(self.eval(node.value)) else NOTHING

    def _constant_(self, node: ast.Constant) -> Value:
        return _TYPED.get(node.value.__class__, NOTHING)

    def _name_(self, node: ast.Name) -> Value:
        value = self.read(node)
        self._handed_on(node, value)
        return value

    def _attribute_(self, node: ast.Attribute) -> Value:
        value = self.attribute(node, self.eval(node.value))
        self._handed_on(node, value)
        return value

    def _handed_on(self, node: ast.Name | ast.Attribute, value: Value) -> None:
        """Note that a function, a class or a module of the project is a value: who calls what it has is not seen."""
        if isinstance(value, OneOf) and not is_called_or_tested(node, self.module.nodes.parents):
            self.flow.refer(value)
        if isinstance(value, (Func, Class, Own)):
            own: ast.expr = node
            above = self.module.nodes.parents.get(id(own))
            if isinstance(above, ast.Tuple):
                own, above = above, self.module.nodes.parents.get(id(above))
            if not _only_named(own, above):
                self.flow.refer(value)

    def _subscript_(self, node: ast.Subscript) -> Value:
        base = self.eval(node.value)
        self.eval(node.slice)
        if isinstance(base, Table):
            return self.one_of(node, base.keys, base)
        if isinstance(base, Std) and base.name == "sys.modules":
            self.flow.refer_all()
            raise self.stop("hidden-names", node)
        if id(node.value) in self.flow.ops and self.idioms.first_of(node):
            return Of("str")
        if isinstance(base, Batch):
            return self.idioms.one_of_batch(node, base)
        if isinstance(base, (Spot, Parsed)):
            made = self.made(base)
            if isinstance(node.slice, ast.Slice) and isinstance(made, Of) and made.type in ("str", "bytes"):
                return made
            found = self.idioms.item(node, base)
            texts = isinstance(made, Of) and made.type == "dict"  # a mapping of texts
            return Of("str") if texts and found == NOTHING else found
        if isinstance(base, Of) and (base.made or base.holds):
            return Of(made=base.made or not isinstance(node.slice, ast.Slice), holds=base.holds)
        kind = base.type if isinstance(base, Of) else ""
        return Of(kind) if isinstance(node.slice, ast.Slice) and kind in ("str", "bytes") else NOTHING

    def _slice_(self, node: ast.Slice) -> Value:
        for part in (node.lower, node.upper, node.step):
            if part is not None:
                self.eval(part)
        return NOTHING

    def _namedexpr_(self, node: ast.NamedExpr) -> Value:
        value = self.eval(node.value)
        made = self.made(value) if isinstance(value, Foreign) else value
        self.env[node.target.id] = Bound(made)
        self.named += 1
        self.passes()
        return made

    def _met(self, named: int, before: Env, ends: list[Env]) -> None:
        """Go on behind parts of an expression of which not all are done; names hold what they did if none was bound."""
        self.env = before if self.named == named else self.joined(ends)

    def _ifexp_(self, node: ast.IfExp) -> Value:
        self.eval(node.test)
        found = self.idioms.contents.in_expression(node)
        if found is not None:
            return found
        before, (there, absent), named = self.env, self.idioms.guards(node.test), self.named
        self.env = {**before, **there}
        one = self.eval(node.body)
        end, self.env = self.env, {**before, **absent}
        other = self.eval(node.orelse)
        self._met(named, before, [end, self.env])
        if (value := _an_object(one, other)) is not None or (one == other and isinstance(one, Of)):
            return value or one
        if self._is_the_events(one) or self._is_the_events(other):
            return MADE
        if self._gives_parts(one) or self._gives_parts(other):
            return Of(holds=True)
        return DATA if all(isinstance(value, Of) and value.built_in for value in (one, other)) else NOTHING

    def _boolop_(self, node: ast.BoolOp) -> Value:
        before, values, ends, named = self.env, [], list[Env](), self.named
        self.env = dict(before)
        for part in node.values:
            values.append(self.eval(part))
            ends.append(self.env)
            there, absent = self.idioms.guards(part)
            self.env = {**self.env, **(there if isinstance(node.op, ast.And) else absent)}
        self._met(named, before, ends)
        if (content := self.idioms.contents.or_empty(node, values[0])) is not None:
            return content
        if (found := _an_object(*values)) is not None:
            return found
        kinds = {value.type if isinstance(value, Of) else "" for value in values}
        made = any(self._is_the_events(value) for value in values)
        holds = any(self._gives_parts(value) for value in values)
        data = all(isinstance(value, Of) and value.built_in for value in values)
        return Of(kinds.pop(), made, holds, data) if len(kinds) == 1 else Of("", made, holds, data)

    def _binop_(self, node: ast.BinOp) -> Value:
        left, right = self.eval(node.left), self.eval(node.right)
        found = self.idioms.scaled(node, left)
        if found is not None:
            return found
        kinds = {value.type if isinstance(value, Of) else "" for value in (left, right)}
        if isinstance(node.op, ast.Mod) and isinstance(left, Of) and left.type in ("str", "bytes"):
            return left
        if isinstance(node.op, ast.Add):
            kinds.discard("")
            return Of(kinds.pop()) if len(kinds) == 1 and kinds <= {"str", "bytes"} else NOTHING
        return NOTHING

    def _unaryop_(self, node: ast.UnaryOp) -> Value:
        self.eval(node.operand)
        return Of("bool") if isinstance(node.op, ast.Not) else NOTHING

    def _compare_(self, node: ast.Compare) -> Value:
        values, named, ends = [self.eval(node.left)], self.named, list[Env]()
        for part in node.comparators:  # the first is compared, and the next only if it holds
            values.append(self.eval(part))
            ends += [dict(self.env)] if len(node.comparators) > 1 else []
        if len(ends) > 1:
            self._met(named, self.env, ends)
        if any(isinstance(one, (ast.Is, ast.IsNot)) for one in node.ops):
            # What is read of the event may be made anew each time, a text as well.
            theirs = any(isinstance(value, (Foreign, Spot)) or self._is_the_events(value) for value in values)
            alone = len(values) == 2 and not isinstance(values[1], Spot) and _is_one_of_a_kind(node.comparators[0])
            if theirs and not alone:
                raise self.stop("identity", node)
        for one in values:
            if isinstance(one, Instance) and is_data_class(self.flow, one.key):
                self._compared_by_fields(node, one)
        for at, operator in enumerate(node.ops):
            if not isinstance(operator, _NOT_EQUALITY):
                self.compared_as_objects(node, *values[at : at + 2])
        if len(values) == 2:
            self.idioms.compared(node, values[0], values[1])
        return Of("bool")

    def _compared_by_fields(self, node: ast.Compare, value: Instance) -> None:
        """Note that an object is compared by all that it holds; what is read of the event may be made each time."""
        self.flow.looked_into([value])
        for field in fields_of(self.flow, value.key):
            held = self.held(field, value)
            if isinstance(held, Foreign) or self._gives_parts(held):
                raise self.stop("identity", node)

    def _await_(self, node: ast.Await) -> Value:
        value = self.eval(node.value)
        theirs = isinstance(value, Spot) or id(node.value) in self.flow.ops
        if theirs and self.function is not None and in_generator(node, self.function.nodes.parents):
            raise self.stop("awaits-inside", node)  # what awaits makes a generator another thing
        if theirs:
            self.consume(node.value)
        return value

    def _lambda_(self, node: ast.Lambda) -> Value:
        if id(node) in self.flow.lambdas:  # which is followed as a function of its own
            return NOTHING
        self._read_later(node)
        before = dict(self.env)
        for default in (*node.args.defaults, *(d for d in node.args.kw_defaults if d)):
            self.eval(default)
        for argument in ast.walk(node.args):
            if isinstance(argument, ast.arg):  # whoever calls it may hand it a part of the event
                self.env[argument.arg] = Bound(NOTHING if self.flow.is_whole_in(self.module.file) else MADE)
        self.eval(node.body)
        self.env = before
        return NOTHING

    def _read_later(self, node: ast.Lambda | ast.GeneratorExp) -> None:
        """Refuse a name that may hold another thing by when it is read: in a function, or a lazy loop, made here."""
        function = self.function
        if function is None:
            return
        for name in {inner.id for inner in walk(node) if isinstance(inner, ast.Name)}:
            if not isinstance(self.lookup(name), Foreign):
                continue
            bound = sum(isinstance(use.ctx, (ast.Store, ast.Del)) for use in function.nodes.uses(name))
            if bound + (name in function.parameters) > 1:
                raise self.stop("rebound", node)

    def _comprehension(
        self, node: ast.ListComp | ast.SetComp | ast.GeneratorExp | ast.DictComp, *parts: ast.expr
    ) -> Value:
        before, named = dict(self.env), self.named
        values = self._turn_of(node, parts)
        if self.named != named:  # what is bound inside is bound for the function, and for the next turn
            bound = {inner.target.id for inner in walk(node) if isinstance(inner, ast.NamedExpr)}

            def left() -> Env:
                return self.joined([before, {**before, **{n: self.env[n] for n in bound if n in self.env}}])

            self.env = left()
            values = self._turn_of(node, parts)
            self.env = left()
        else:
            self.env = before
        return Of(type_of_constant(node), holds=any(self._gives_parts(value) for value in values))

    def _turn_of(
        self, node: ast.ListComp | ast.SetComp | ast.GeneratorExp | ast.DictComp, parts: tuple[ast.expr, ...]
    ) -> list[Value]:
        """Follow one turn of a comprehension."""
        for generator in node.generators:
            if (found := self.gone_through(generator)) is not None:
                self.bind_row(*found)
                for test in generator.ifs:
                    self.eval(test)
                continue
            over = self.eval(generator.iter)
            if self.idioms.entry_of(generator.target, over, generator.iter):
                self.idioms.bind_entry(generator)
            else:
                self.store(generator.target, self._item_of(over, generator.target, generator.iter))
            for test in generator.ifs:
                self.eval(test)
        return [self.eval(part) for part in parts]

    def _listcomp_(self, node: ast.ListComp) -> Value:
        value = self._comprehension(node, node.elt)
        return Of("list") if self.idioms.picked(node, node, How.EVERY, None) else value

    def _setcomp_(self, node: ast.SetComp) -> Value:
        return self._comprehension(node, node.elt)

    def _generatorexp_(self, node: ast.GeneratorExp) -> Value:
        self._read_later(node)
        return self._comprehension(node, node.elt)

    def _dictcomp_(self, node: ast.DictComp) -> Value:
        value = self._comprehension(node, node.key, node.value)
        return self.idioms.as_mapping(node) or value


def _said_in_code(call: ast.AST | None) -> set[str] | None:
    """Return the names in the code that `exec` or `eval` is given as a text; nothing where that is made, or imports."""
    code = call.args[0] if isinstance(call, ast.Call) and call.args else None
    if not isinstance(code, ast.Constant) or not isinstance(code.value, str):
        return None
    try:
        nodes = walk(ast.parse(code.value))
    except (SyntaxError, ValueError):
        return set()
    if any(isinstance(one, (ast.Import, ast.ImportFrom)) for one in nodes):
        return None
    return {one.id for one in nodes if isinstance(one, ast.Name)}


def _only_named(node: ast.expr, above: ast.AST | None) -> bool:
    """Tell whether what a name stands for is only asked for a part of it, or what it is, and handed on to nobody."""
    if isinstance(above, ast.Call):
        return getattr(above.func, "id", "") in ("isinstance", "issubclass") and node in above.args[1:]
    if isinstance(above, ast.Attribute):
        return above.value is node
    return isinstance(above, (ast.ExceptHandler, ast.Raise, ast.MatchClass, ast.AnnAssign, ast.arg))


def _is_one_of_a_kind(node: ast.expr) -> bool:
    """Tell whether an expression names an object that is no part of an event: None, a class, a constant by its name."""
    name = node.attr if isinstance(node, ast.Attribute) else node.id if isinstance(node, ast.Name) else ""
    return isinstance(node, ast.Constant) or (bool(name) and (name.isupper() or name in dir(builtins)))
