"""What stands before handlers: decorators that can be seen through (`decorators.py`), followed as handlers themselves.

A decorator's function has one place: the same before all handlers that it stands before. Where two handlers have theirs
in opposite orders, the second is not followed through them.
"""

from __future__ import annotations

import ast
import itertools
from collections.abc import Collection
from functools import cached_property

from vast_ferry.hub.functions import Function as Declared
from vast_ferry.translate.python.decorators import Around, More, around, given_more, gives_it_back, taking_over
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.job import Job
from vast_ferry.translate.values import Func, Key, Stop


class Standing:
    """Puts what decorators give before handlers; `decorators` are those for which that was done."""

    def __init__(self, job: Job, apart: Collection[str] = ()) -> None:
        self.job, self.apart = job, apart  # functions that nothing takes over for
        self.decorators: set[Key] = set()

    def put_before(self, function: Function, kind: str, declared: Declared) -> None:
        """Let decorators of the project's own that can be seen through be followed as handlers themselves.

        The event goes to the handler as well, unless one of them takes over.
        """
        flow, behind, between = self.job.flow, function, list[Function]()
        if function.stands_behind is not None:
            return
        alone = declared.name not in self.apart and function.cls is None and not declared.bindings
        layers, more = self._layers(function, len(flow.handed(kind)), alone=alone)
        if self._comes_round(function, layers):
            decorator = function.node.decorator_list[0]
            function.hidden, layers = Stop("decorated", decorator, ast.unparse(decorator)), []
        for found, inner in reversed(layers):
            inner.stands_before = tuple(dict.fromkeys((*inner.stands_before, behind.key)))
            inner.whatever, inner.given, inner.leading = found.whatever, found.given, found.leading
            inner.given_more, inner.passes_more = found.taken, inner.passes_more or found.passed
            inner.takes_over = found.takes_over
            behind.stands_behind = inner.key
            flow.waiting[found.outer.key] = None
            self.decorators.add(found.outer.key)
            self.job.declared.setdefault(inner.key, []).append(declared)
            if found.whatever:
                inner.entry = (*inner.entry, declared.name)
                flow.waiting[inner.key] = None
            else:
                flow.enter(inner.key, kind, declared.name)
            between.append(inner)
            behind = inner
        if layers:
            function.given_more = more
        for one in between:
            one.outermost.add(one is behind)

    @cached_property
    def _named(self) -> frozenset[Key]:
        """Return the functions that a module names, other than where it defines or imports them."""
        flow, found = self.job.flow, set[Key]()
        for module in flow.modules.values():
            values = [module.names.get(name) for name in module.nodes.ids]
            values += [flow.named(module, node) for node in module.nodes.each(ast.Attribute)]
            found |= {value.key for value in values if isinstance(value, Func)}
        return frozenset(found)

    def _comes_round(self, function: Function, layers: list[tuple[Around, Function]]) -> bool:
        """Tell whether decorators would stand before one another: other handlers have them in another order."""
        chain = [function.key, *(inner.key for _, inner in reversed(layers))]
        links = dict(itertools.pairwise(chain))
        for start in chain if layers else ():
            gone, at = set[Key](), start
            while (above := links.get(at) or self.job.flow.functions[at].stands_behind) is not None:
                if above in gone:
                    return True
                gone.add(above)
                at = above
        return False

    def _layers(
        self, function: Function, taken: int, *, alone: bool
    ) -> tuple[list[tuple[Around, Function]], tuple[str, ...]]:
        """Return what stands before a handler, outermost first, and what it gets of that besides; or nothing at all.

        Where one of its decorators can't be seen through, what the handler takes for the event may be anything else.
        """
        flow, more, layers = self.job.flow, More(), list[tuple[Around, Function]]()
        for decorator in function.node.decorator_list:
            if flow.is_the_providers(function.module, decorator) or gives_it_back(flow, function.module, decorator):
                continue
            over = bool(layers) and layers[-1][0].takes_over  # what stands below gets nothing of the provider's
            found = None if over else around(flow, function.module, decorator, taken, more)
            if found is None and alone and not over and not more and function.key not in self._named:
                found = taking_over(flow, function.module, decorator)
            if found is None:
                called = decorator.func if isinstance(decorator, ast.Call) else decorator
                function.hidden = Stop("decorated", decorator, ast.unparse(called))
                return [], ()
            inner = flow.defined.get(id(found.inner))
            if inner is None:
                inner = found.outer
                for node in found.between:
                    inner = flow.define_inside(inner, node)
            # By another handler that it stands before.
            otherwise = inner.given_more != found.taken or inner.takes_over != found.takes_over
            if inner.stands_before and otherwise:
                return [], ()
            layers.append((found, inner))
            more = found.more
        if layers and layers[-1][0].takes_over:
            return layers, ()
        given = given_more(more, function, taken) if layers else ()
        return ([], ()) if given is None else (layers, given)
