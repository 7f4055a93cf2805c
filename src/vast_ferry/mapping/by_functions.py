"""Shapes as handlers written by hand see them, where an expression does not reach what a provider hands over.

Such a field (one of several in a text, one that stands in what is encoded, a stream) is read by a function that comes
along, and whose call is a place like any other. An answer is put together from what its form holds: a status, header
fields, and content that is text or bytes. What can't be, says so, and the handler is wrapped.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Final

from vast_ferry.hub.fields import OF_THE_CALL
from vast_ferry.mapping.compile.functions import Source, unpack_batch, view_event
from vast_ferry.mapping.compile.reading import reading_of
from vast_ferry.mapping.inline import Inline
from vast_ferry.mapping.lenses.content import BytesReadOnce, ContentUnderKeys, TextOrBytes
from vast_ferry.mapping.lenses.forms import Content, ContentByKey, HeaderFields, ObjectOf, StatusSaid
from vast_ferry.mapping.lenses.lens import Lens, Plain, PlainBytes
from vast_ferry.mapping.lenses.names import JoinedByName, LowerNames, TitleNames, UpperNames
from vast_ferry.mapping.lenses.packed import ReadOnce
from vast_ferry.mapping.lenses.pairs import FieldLists, FlatFields, Joined, ListsToLookUp, PairList
from vast_ferry.mapping.lenses.pipeline import Pipeline
from vast_ferry.mapping.lenses.text import RouteStyle
from vast_ferry.mapping.places import Access, Function, Through
from vast_ferry.mapping.tables import EventShape, ReplyShape, Row

#: How a handler finds what a function gives, by what the field holds.
_GIVEN: Final[dict[str, Lens]] = {"pairs": PairList(), "bytes": PlainBytes()}
_FACES: Final = ("inline", "inline_pairs", "inline_text", "inline_json", "look_up")


def read_by_functions(shape: EventShape, module: str) -> tuple[EventShape, dict[str, Source]]:
    """Return a shape in which each field that no expression reaches is a function's, and those functions by name.

    `module` is where they stand. A shape of which all is within reach comes back as it is.
    """
    levels, made = shape.levels, dict[str, Source]()
    if not levels and not any(_is_composed(row) for row in shape.rows if not row.derived):
        return shape, {}
    if levels and shape.each is not None:
        events = made[f"read_{shape.kind}_events"] = unpack_batch(f"read_{shape.kind}_events", shape)
        each = Access(shape.each.root, (Function(events.name, module, events.parameters),))
        shape = replace(shape, each=each, levels=())
    kept = [row for row in shape.rows if shape.fields[row.field].holds == "call" or _within_reach(row, shape)]
    beyond = list(_beyond(shape, kept))
    looked_up = any(row.field == "query" for row in kept)
    for name in [*beyond, *(["query"] if "query.raw" in beyond and not looked_up else [])]:
        function = f"read_{shape.kind}_{name.replace('.', '_')}"
        once = any(row.field == name and isinstance(row.lens, ReadOnce) for row in shape.rows)
        holds = shape.fields[name].holds
        lens = ListsToLookUp() if name == "query" else BytesReadOnce() if once else _GIVEN.get(holds, Plain())
        title = "values of the query by name" if name == "query" else shape.fields[name].meaning.partition(",")[0]
        form = lens if name == "query" else None
        source = made[function] = view_event(function, shape, name, f"Return the {title}.", form=form)
        at = Access(shape.event_parameters[0], (Function(function, module, source.parameters, source.awaited),))
        kept = [*(row for row in kept if row.field != name), Row(at, name, lens)]
    return replace(shape, rows=tuple(kept), nothing={}), made


def _is_composed(row: Row) -> bool:
    """Tell whether what stands at a row is one of several forms that follow on each other, or of several fields."""
    if isinstance(row.lens, RouteStyle):  # a route is known beforehand
        return False
    if row.shown:  # however plain the part is
        return True
    return not _has_a_face(row) and bool(_is_encoded(row) or row.lens.wants_value or row.lens.asks)


def _has_a_face(row: Row) -> bool:
    """Tell whether a person would write an expression for what stands at a row."""
    lens = type(row.lens)
    written = any(getattr(lens, face) is not getattr(Lens, face) for face in _FACES)
    told = bool(row.lens.methods or row.lens.spread or row.lens.subscript or row.lens.derived_only or row.lens.unit)
    return (written or told or not row.lens.by_hand) and not _is_encoded(row) and not isinstance(row.lens, ReadOnce)


def _is_encoded(row: Row) -> bool:
    return any(isinstance(step, Through) for at in (row.at, row.flag) if at is not None for step in at.steps)


def _within_reach(row: Row, shape: EventShape) -> bool:
    """Tell whether an expression reaches a row wherever the event is: nothing on the way to it may be missing."""
    missing = row.optional or any(row.at.steps[: len(at.steps)] == at.steps for at in shape.nothing)
    once = row.field == "body" and any(isinstance(one.lens, ReadOnce) for one in shape.rows)
    return row.lens.by_hand and _has_a_face(row) and not (missing or once or row.shown)


def _beyond(shape: EventShape, kept: list[Row]) -> Iterator[str]:
    """Yield the truths that a provider tells, and no expression over the rows that are kept gives."""
    reads, reading = Inline.of(replace(shape, rows=tuple(kept), nothing={})), reading_of(shape)
    for name, field in shape.fields.items():
        if not field.truth or field.holds == "call" or name in OF_THE_CALL or reading.find(name) is None:
            continue
        given = reads.pairs(name) if field.holds == "pairs" else reads.hub(name) if name in reads.rows else None
        if given is None:
            yield name


#: Forms of an answer that a handler can put together of what it has.
_PUT_TOGETHER: Final = ("mapping", "object", "tuple")


def written_by_hand(shape: ReplyShape) -> ReplyShape | None:
    """Return a shape of answers whose written form a handler can put together; nothing where none can.

    Shapes whose form tells its content by what it holds are taken from those that stand there in the open.
    """
    form = shape.written
    if form.when not in _PUT_TOGETHER or any(told_otherwise(row) for row in form.rows):
        return None
    if not any(isinstance(row.lens, (Content, HeaderFields, StatusSaid)) for row in form.rows):
        return shape
    rows = tuple(_open(row) for row in form.rows)
    if shape.told is not None or None in rows:
        return None
    types = dict(form.types)
    usual = (types["text"], types.get("bytes", "")) if "text" in types else form.default_types
    written = replace(form, rows=tuple(row for row in rows if row is not None), default_types=usual, types={})
    return replace(shape, forms=tuple(written if one is form else one for one in shape.forms))


#: The forms of an answer's fields that are known where handlers answer; of content, those that say what they hold.
_KNOWN: Final[dict[str, tuple[type[Lens], ...]]] = {
    "status": (Plain, StatusSaid),
    "headers": (PairList, HeaderFields),
    "headers.plain": (Joined, HeaderFields),
    "set_cookies": (Plain,),
    "body": (Content, ContentUnderKeys, ObjectOf, PlainBytes),
}


def is_by_name(lens: Lens) -> bool:
    """Tell whether header fields stand in a mapping from each name, however it is spelt, to its values as one text."""
    spelling = (LowerNames, TitleNames, UpperNames)
    first, *others = lens.parts if isinstance(lens, Pipeline) else (lens,)
    usual = isinstance(first, JoinedByName) and not first.args  # joined by another text they come apart again
    return usual and all(isinstance(one, spelling) for one in others)


def told_otherwise(row: Row) -> bool:
    """Tell whether a row of an answer is one that no handler reads or fills by hand: a part of a field, or a form."""
    known = _KNOWN.get(row.field)
    if known is None:
        return row.field.startswith("own.")
    return not (isinstance(row.lens, known) or (row.field == "body" and bool(row.lens.content)))


def _open(row: Row) -> Row | None:
    """Return a row of an answer as a handler fills it."""
    lens = row.lens
    if isinstance(lens, HeaderFields):
        written = dict(lens.options).get("written", "lists")
        return replace(row, lens={"pairs": PairList, "flat": FlatFields}.get(str(written), FieldLists)())
    if isinstance(lens, StatusSaid):
        return replace(row, lens=Plain())
    if isinstance(lens, ContentByKey):
        return replace(row, lens=ContentUnderKeys(options=tuple((kind, key) for key, kind in lens.options)))
    if isinstance(lens, Content):
        return replace(row, lens=TextOrBytes())
    return row if lens.plain or isinstance(lens, (PlainBytes, PairList)) else None
