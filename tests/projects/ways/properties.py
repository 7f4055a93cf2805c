"""Objects whose properties call services, and what looks at these otherwise than by reading them."""

import dataclasses
import operator
from functools import cached_property

from ostermere import books

CALLS = []


class Row:
    def __init__(self, key, table="t"):
        self.key, self.table = key, table

    @property
    def n(self):
        return self.row["n"]

    @cached_property
    def row(self):
        CALLS.append(self.key)
        found = books.read(self.table, {"id": self.key})
        if found is None:
            raise LookupError(self.key)
        return found


class Other:
    n, row = 7, 8


class Counted(Row):
    @property
    def n(self):
        return super().n + 1


class Set(Row):
    row = {"n": 11}


class Named(Row):
    @cached_property
    def name(self):
        """What it is called."""
        return f"{self.table}-{self.n}"


class Alias:
    key = 1

    @property
    def there(self):
        return books.read("t", {"id": self.key})

    same = there


class Second:
    key = 1

    def read(self, event, table="t"):
        return books.read(table, {"id": self.key, "path": event["call"]["path"]})

    def given(self, event, reads=read):
        return reads(self, event)

    shown = read


class Matched(Row):
    __match_args__ = ("n",)


class Kept:
    def __init__(self):
        self._row = "mine"

    @cached_property
    def row(self):
        return books.read("t", {"id": 1})


@dataclasses.dataclass(frozen=True)
class Frozen:
    key: int

    @cached_property
    def there(self):
        return books.read("t", {"id": self.key})


class Lazy:
    def __init__(self, key):
        self.key = key

    def __getattr__(self, name):
        return name

    @property
    def there(self):
        return books.read("t", {"id": self.key}).n


class Set2:
    @property
    def there(self):
        return books.read("t", {"id": 1})

    @there.setter
    def there(self, row):
        books.write("t", {"id": 1}, row)


def told(row):
    return f"{row.n} {row.n}"


def gone(row):
    first = row.row
    del row.row
    return f"{first} {row.row}"


def given(row):
    row.row = {"n": 9}
    return row.n


def stored(there):
    there.there = {"n": 2}
    return there.there["n"]


def cased(row):
    match row:
        case Row(n=4, key=1):
            return "four"
        case _:
            return "other"


def placed(row):
    match row:
        case Matched(4):
            return "matched"
        case _:
            return "other"
