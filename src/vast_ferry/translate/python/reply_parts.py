"""What an answer is taken apart into, and put together from: its parts as source, and the two providers' forms."""

from __future__ import annotations

import ast
from dataclasses import dataclass, field

from vast_ferry.mapping.places import Attr, Item
from vast_ferry.mapping.tables import ReplyForm, Row
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.values import Of


@dataclass(slots=True)
class Made:
    """An answer in parts: source of its status, header fields, cookies and content, and of what type that is."""

    status: str = ""
    pairs: list[tuple[str, str, str]] = field(default_factory=list)  # name as source, value as source, name if known
    spreads: list[tuple[str, str]] = field(default_factory=list)  # whole header fields: "dict" or "pairs", source
    cookies: list[tuple[str, str]] = field(default_factory=list)  # "one" or "many", source
    body: str = ""
    body_type: str = ""
    empty_type: str = ""  # as what content that is left out counts: text or bytes, or `none` where it has no type
    usual: tuple[str, str] | None = None  # the types that the source gives content that names none: as text, as bytes

    def spread(self, kind: str, source: str) -> None:
        """Note header fields that stand there as a whole."""
        self.spreads.append((kind, source))
        self.pairs.append(("", str(len(self.spreads) - 1), ""))

    @property
    def names_type(self) -> bool:
        """Tell whether a content type is named."""
        return any(known.lower() == "content-type" for _, _, known in self.pairs)

    @property
    def typed(self) -> bool:
        """Tell whether a content type is named, or may be."""
        return bool(self.spreads) or self.names_type


class Forms:
    """The forms of answers that one function had, and will have."""

    def __init__(self, at: Writing) -> None:
        self.at, self.job, self.flow = at, at.job, at.flow

    @property
    def _source(self) -> tuple[ReplyForm, ...]:
        return self.job.source.kinds[self.at.kind].answered.forms

    @property
    def _target(self) -> ReplyForm:
        shape = self.job.answered(self.at.kind)
        return shape.by_hand.form if shape.by_hand else shape.written

    @property
    def _by_content(self) -> bool:
        """Tell whether the target gives types by what a content is: none to one that is left out."""
        return bool(self.job.target.kinds[self.at.kind].answered.written.types)

    # --- read ---

    def _rows(self, form: ReplyForm) -> dict[str, Row]:
        rows: dict[str, Row] = {}
        for row in form.rows:
            step = row.at.steps[-1] if row.at.steps else None
            key = step.key if isinstance(step, Item) else step.name if isinstance(step, Attr) else ""
            rows[str(key)] = row
        return rows

    def _form(self, when: str) -> ReplyForm | None:
        return next((form for form in self._source if form.when == when), None)

    def _type(self, node: ast.expr) -> str:
        value = self.flow.values.get(id(node))
        if isinstance(value, Spot):
            value = self.flow.made(value)
        return value.type if isinstance(value, Of) else ""
