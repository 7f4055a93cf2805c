"""How lists of records, mappings and tables stand for each other, before what is in them is read."""

from __future__ import annotations

from typing import Any

from vast_ferry.mapping.lenses.lens import Formed, LensError


class ByKey(Formed):
    """A list of records as a mapping, the key of each being what stands under a name in it: `by_key(name)`.

    For forms that take a list: `by_key(n) | typed_texts(n, type, value)`, `by_key(n) | records(n, value)`. Where lists
    stand under the keys, a key's place among theirs: `by_key(0) | typed(0, 1, 2)`.
    """

    __slots__ = ()
    counts = True
    name, takes, fewest, most = "by_key", "the name that a key has in a record, or its place in a list", 1, 1
    reader, writer = "records_by_key", "by_key_of_records"

    def told(self) -> tuple[Any, ...]:
        (key,) = self.args
        return (int(key),) if key.isdecimal() else (key,)


class ListedBy(ByKey):
    """A mapping of records as a list of them, each with its key under a name in it: `listed_by(name)`.

    For forms that take a mapping: `listed_by(column) | sides_by_name(was, now)`. Where each is a list, the key's place
    in it: `listed_by(0) | sides_by_name(0, 1)`.
    """

    __slots__ = ()
    name, reader, writer = "listed_by", "listed_by_key", "records_by_key"


class ValuesAt(Formed):
    """A mapping whose values each stand in a record, under a key: `values_at(all) | lists`.

    What stands beside it is not read; of a list, its first or last value, or all joined by `, `, may be written there:
    `values_at(all, last=last)`, `values_at(all, value=joined)`.
    """

    __slots__ = ()
    named = True
    name, takes, fewest, most = "values_at", "the key; another key=first, last or joined", 1, 1
    reader, writer = "values_at", "records_of_values"

    def told(self) -> tuple[Any, ...]:
        beside = {str(key): str(which) for key, which in self.options}
        if odd := set(beside.values()) - {"first", "last", "joined"}:
            raise LensError(f"values_at writes the first, the last or all joined beside a list, not {', '.join(odd)}")
        return (*self.args, beside)


class Table(Formed):
    """A list of mappings as a table, whose columns are named once: `table(columns, rows)`, the keys of both.

    For the way to the events of a batch: `{of: 'event["table"] | table(columns, rows)', each: row}`.
    """

    __slots__ = ()
    name, takes, fewest, most = "table", "the keys of the columns' names and of the rows", 2, 2
    reader, writer = "rows_of_table", "table_of_rows"


class SideBySide(Formed):
    """A list of mappings as a mapping of lists that are equally long: `side_by_side(ids, texts)`, the lists' keys."""

    __slots__ = ()
    name, takes, fewest, most = "side_by_side", "the keys of the lists", 1, 32
    reader, writer = "rows_of_lists", "lists_of_rows"


class MappingsBeside(Formed):
    """Records by name as mappings that stand side by side: `mappings_beside(values, types)`, the mappings' keys.

    For types that stand apart from the values: `mappings_beside(values, types) | by_key(n) | typed(n, types, values)`.
    """

    __slots__ = ()
    name, takes, fewest, most = "mappings_beside", "the keys of the mappings", 2, 32
    reader, writer = "records_of_mappings", "mappings_of_records"
