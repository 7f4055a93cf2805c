"""What follows tables of functions (`tables.py`): where one stands, and what a loop through one binds."""

from __future__ import annotations

import ast

from vast_ferry.translate.python.calling import Calling
from vast_ferry.translate.python.functions import NOTHING, is_built_in
from vast_ferry.translate.python.tables import (
    Through,
    asks,
    goes_through,
    name_given,
    only_asked,
    only_gone_through,
    shown,
    shown_rows,
    through,
)
from vast_ferry.translate.values import Bound, Key, OneOf, Table, Value


class Listing(Calling):
    """What follows mappings and lists of functions."""

    def rows(self, node: ast.List | ast.Tuple) -> Table | None:
        """Return the table of functions that a list is, if it is one."""
        table = self.flow.tables.get(id(node)) if self.function is None else self._rows_in_function(node)
        return self._with_its_other_parts(node, table)

    def rows_handed(self, node: ast.expr, width: int) -> Table | None:
        """Return the table of functions that is handed on as a list of rows of a width."""
        if not isinstance(node, (ast.List, ast.Tuple)):
            return None
        table = shown_rows(node, self.in_a_table)
        return self._with_its_other_parts(node, table if table is not None and table.width == width else None)

    def mapping_handed(self, node: ast.expr) -> Table | None:
        """Return the table of functions that is handed on as a mapping."""
        table = shown(node, self.in_a_table)
        for key in node.keys if table is not None and isinstance(node, ast.Dict) else ():
            if key is not None:
                self.eval(key)
        return table

    def _with_its_other_parts(self, node: ast.List | ast.Tuple, table: Table | None) -> Table | None:
        """Follow what stands beside functions in the rows of a table, and return it."""
        if table is None or table.column is None:
            return None
        for row in node.elts:
            for at, one in enumerate(row.elts if isinstance(row, (ast.List, ast.Tuple)) else ()):
                if not table.at(at):
                    self.eval(one)
        return table

    def _rows_in_function(self, node: ast.List | ast.Tuple) -> Table | None:
        """Return the table that a list in a function is: under a name that is only gone through, or in a loop."""
        parents, function = self.module.nodes.parents, self.function
        name = name_given(node, parents)
        if function is None or not (name or goes_through(node, parents)) or name in self._shared():
            return None
        table = shown_rows(node, self.in_a_table)
        if table is None or not name:
            return table if table is not None and goes_through(node, parents) == table.width else None
        uses = function.nodes.uses(name)
        bound = sum(not isinstance(use.ctx, ast.Load) for use in uses)
        return table if bound == 1 and only_gone_through(uses, parents, table.width) else None

    def table(self, node: ast.Dict) -> Table | None:
        """Return the table of functions that a mapping is, if it is one that is only asked."""
        if id(node) in self.flow.tables or self.function is None:
            return self.flow.tables.get(id(node))
        parents = self.module.nodes.parents
        name = name_given(node, parents)
        if not name and not asks(node, parents):
            return None
        table = shown(node, self.in_a_table) if name not in self._shared() else None
        uses = self.function.nodes.uses(name) if table is not None and name else []
        bound = sum(not isinstance(use.ctx, ast.Load) for use in uses)
        return table if not name or (bound == 1 and only_asked(uses, parents)) else None

    def gone_through(self, node: ast.For | ast.AsyncFor | ast.comprehension) -> tuple[Table, Through] | None:
        """Return the table of functions that a loop goes through, and how, if it is one."""
        told = through(node)
        if told is None or (told.table is not node.iter and self._is_own(node.iter)):
            return None
        if isinstance(told.table, (ast.Subscript, ast.Call)) and not self._has_lists(told.table):
            return None
        over = self.eval(told.table)
        listed = isinstance(over, Table) and (over.column is None) == told.mapping
        if not isinstance(over, Table) or not listed or len(told.parts) != (1 if told.mapping else over.width):
            return None
        return over, told

    def _has_lists(self, node: ast.Subscript | ast.Call) -> bool:
        """Tell whether a mapping is asked that has lists of functions."""
        asked = node.func if isinstance(node, ast.Call) else node
        base = asked.value if isinstance(asked, (ast.Subscript, ast.Attribute)) else None
        table = self.eval(base) if isinstance(base, (ast.Name, ast.Attribute)) else NOTHING
        return isinstance(table, Table) and bool(table.lists)

    def _is_own(self, node: ast.expr) -> bool:
        """Tell whether what is called is a function of the project's that has the name of a built-in one."""
        called = node.func if isinstance(node, ast.Call) else None
        if not isinstance(called, ast.Name):
            return False
        return called.id in self.env or not is_built_in(self.module, self.function, called.id)

    def bind_row(self, table: Table, told: Through) -> None:
        """Bind what a loop binds that goes through a table: functions of the project, and what stands beside them."""
        for one in told.others:
            self.store(one, NOTHING)
        for at, name in enumerate(told.parts):
            keys = table.keys if told.mapping else table.at(at)
            if keys:
                self.env[name.id] = Bound(self._in_column(name, keys, table, 0 if told.mapping else at))
            else:
                self.store(name, NOTHING)

    def _in_column(self, name: ast.Name, keys: tuple[Key, ...], table: Table, at: int) -> Value:
        """Return what a loop gives a name: one of the functions in a column, or a list of them."""
        if at in table.lists:
            return self.list_given(name.id, keys, bound=table.bound, target=name)
        return OneOf(keys, table.bound) if self.only_calls(name.id, name) else self.any_of(keys)
