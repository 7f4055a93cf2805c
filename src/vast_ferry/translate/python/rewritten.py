"""What became of a project's handlers."""

from __future__ import annotations

from dataclasses import dataclass, field

from vast_ferry.hub.findings import Finding
from vast_ferry.hub.functions import Binding, Entry
from vast_ferry.mapping.compile.functions import Source
from vast_ferry.translate.moves import Done
from vast_ferry.translate.python.copies import Copies
from vast_ferry.translate.python.lookups_out import MethodsAsked


@dataclass(slots=True)
class Rewritten:
    """What became of a project's handlers: new files by path, entries, edits, what is shared, and findings.

    `wrapped` tells of each function that was not rewritten why; `shims` of each that was what is made for it;
    `bindings` of those whose calls became declared outputs. Where there are `copies`, helpers have to stand twice
    first, and nothing else is told. Those wrapped handlers are `alone` that share no code with others. `methods_asked`
    says which methods are asked where, in the text that was followed; `taken_over` for which handlers a decorator takes
    over.
    """

    files: dict[str, bytes] = field(default_factory=dict)
    entries: dict[str, Entry] = field(default_factory=dict)
    edits: list[Done] = field(default_factory=list)
    wrapped: dict[str, Finding] = field(default_factory=dict)
    shims: dict[str, list[str]] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)
    sources: list[Source] = field(default_factory=list)
    answers: bool = False
    services: bool = False
    bindings: dict[str, tuple[Binding, ...]] = field(default_factory=dict)
    copies: Copies | None = None
    alone: set[str] = field(default_factory=set)
    taken_over: set[str] = field(default_factory=set)
    methods_asked: MethodsAsked = field(default_factory=MethodsAsked)
