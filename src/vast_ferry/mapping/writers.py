"""Objects that are handed to handlers and by whose methods they answer: what stands there, and how it is told.

Only the description is here; what such an object does stands among the helpers (`Writer`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final


@dataclass(frozen=True, slots=True)
class WriterMethod:
    """A method by which a handler answers: its parameters, and what they do to the writer's attributes.

    `puts` has, for an attribute, the parameter that names and the one that is put there; `first` is an error, raised
    where anything was told before; `only` what a parameter's value has to be.
    """

    takes: tuple[str, ...] = ()
    sets: Mapping[str, str] = field(default_factory=dict)
    adds: Mapping[str, str] = field(default_factory=dict)
    puts: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    only: Mapping[str, str] = field(default_factory=dict)
    first: str = ""
    ends: bool = False  # the answer is out with it
    over: bool = False  # what is put takes the place of what stood under its name
    seals: tuple[str, ...] = ()  # attributes that nothing may be told to after it

    def steps(self) -> str:
        """Return a function, as source, that takes what the method takes and gives its steps."""
        made = [f"('first', {self.first.rpartition('.')[2]})"] if self.first else []
        made += [f"('only', {name}, {name!r}, {_ONLY[kind]})" for name, kind in self.only.items()]
        made += [f"('set', {attribute!r}, {name})" for attribute, name in self.sets.items()]
        made += [f"('add', {attribute!r}, {name})" for attribute, name in self.adds.items()]
        put = "put_over" if self.over else "put"
        made += [f"({put!r}, {attribute!r}, {name}, {value})" for attribute, (name, value) in self.puts.items()]
        made += [f"('seal', {attribute!r})" for attribute in self.seals]
        return f"lambda {', '.join(self.takes)}: [{', '.join(made)}]"

    def calls(self) -> tuple[bool, dict[str, str]]:
        """Return whether an answer is told by a call each, and what its parameters tell: parameter → attribute."""
        told = {name: attribute for attribute, name in self.sets.items()}
        more = {name: attribute for attribute, name in self.adds.items()}
        more |= {name: attribute for attribute, pair in self.puts.items() for name in pair}
        return not told, told or more


_ONLY: Final = {"bytes": "(bytes, bytearray, memoryview)", "text": "(str,)", "number": "(int,)"}


@dataclass(frozen=True, slots=True)
class ByWriter:
    """An object that is handed to a handler, by whose methods and attributes it answers.

    `first` where it comes before the event; `returns` where what a handler returns counts if nothing was told.
    """

    name: str
    holds: Mapping[str, Any]  # an attribute → what stands there before anything was told
    methods: Mapping[str, WriterMethod]
    first: bool = False
    returns: bool = False

    def made(self) -> str:
        """Return the source of one to which nothing was told."""
        methods = ", ".join(f"{name!r}: {method.steps()}" for name, method in self.methods.items())
        return f"Writer({dict(self.holds)!r}, {{{methods}}})"

    @property
    def errors(self) -> tuple[str, ...]:
        """Return the errors that its methods raise, each with its module."""
        return tuple(dict.fromkeys(one.first for one in self.methods.values() if one.first))

    def telling(self, answer: str) -> str:
        """Return the source of what tells an answer, of which a mapping is given: what no method tells is set.

        Of several methods that tell the same, the first is called; one that has to come before all others does.
        """
        calls: list[tuple[str, bool, dict[str, str]]] = []
        done: set[str] = set()
        for name, method in sorted(self.methods.items(), key=lambda one: not one[1].first):
            every, told = method.calls()
            if told and not done & set(told.values()):
                calls.append((name, every, told))
                done |= set(told.values())
        rest = tuple(name for name in self.holds if name not in done)
        return f"tell_writer({self.name}, {{**{dict(self.holds)!r}, **{answer}}}, {rest!r}, {tuple(calls)!r})"

    def function(self, name: str) -> str:
        """Return the source of a function that takes an answer as a mapping, and gives the writer that was told it."""
        lines = [f"def {name}(answer):", f"{self.name} = {self.made()}", self.telling("answer"), f"return {self.name}"]
        return "\n    ".join(lines)

    def among(self, others: tuple[str, ...]) -> tuple[str, ...]:
        """Return a handler's parameters with the writer where it comes; it may be one of them."""
        if self.name in others:
            return others
        return (self.name, *others) if self.first else (*others, self.name)
