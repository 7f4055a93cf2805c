"""Tables: the rows of one shape (an event, a reply), each of which can be inverted or says that it is derived."""

from __future__ import annotations

import keyword
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, replace
from dataclasses import field as field_
from typing import Any, Final

from vast_ferry.hub.fields import DONE, EVENTS, HTTP_EVENT, HTTP_REPLY, OF_THE_CALL, Field
from vast_ferry.hub.findings import nearest
from vast_ferry.hub.kinds import KINDS, REQUEST, is_request
from vast_ferry.mapping.lenses.lens import Lens, Plain, PlainBytes
from vast_ferry.mapping.places import Access, Call, Item
from vast_ferry.mapping.python import FREE_FOR_CALLS, RESERVED
from vast_ferry.mapping.views import EVENT_RULES, REPLY_RULES, RULES, Rule
from vast_ferry.mapping.writers import ByWriter


@dataclass(frozen=True, slots=True)
class Row:
    """A lens: native place ↔ lens ↔ hub field.

    A `derived` row is written and never read. An `optional` place may be missing; it then reads as the field's default.
    `flag` is the lens's second place. What is `unless_empty` is left out where it is empty. `offer` names what only
    some servers give; `line` is where the row stands. What is `null_if_empty` stands there as nothing where it is
    empty, and what is `read_only` is written by other rows, or follows from where the event stands. `shown` is what it
    feeds as its author wrote it, where that is more than a field.
    """

    at: Access
    field: str
    lens: Lens = Plain()
    derived: bool = False
    optional: bool = False
    flag: Access | None = None
    offer: str = ""
    unless_empty: bool = False
    null_if_empty: bool = False
    read_only: bool = False
    shown: str = ""
    line: int = field_(default=0, compare=False)


@dataclass(frozen=True, slots=True)
class Constant:
    """A native place that always holds the same value."""

    at: Access
    value: Any
    line: int = field_(default=0, compare=False)
    varies: bool = False  # another value may stand there: this one is written, and tells nothing


@dataclass(frozen=True, slots=True)
class Callback:
    """A parameter that is called to answer; its arguments are the roots of places in the reply's rows."""

    name: str
    arguments: tuple[str, ...]
    defaults: tuple[str, ...] = ()

    @property
    def signature(self) -> str:
        """Return the parameters as they stand in a definition."""
        return ", ".join([*self.arguments, *(f"{name}=None" for name in self.defaults)])


@dataclass(frozen=True, slots=True)
class Level:
    """A list or mapping that is gone through to the events of a batch: `of` it, each is called `item`.

    Its key (in a mapping) or number (in a list) is called `key` or `index`. Where it has a `lens` and no `item`, what
    that makes of it is called `name`.
    """

    of: Access
    item: str = ""
    key: str = ""
    index: str = ""
    name: str = ""
    lens: Lens = Plain()
    line: int = field_(default=0, compare=False)


@dataclass(frozen=True, slots=True)
class Told:
    """A method of an event of a batch by which a handler says what became of it: `verb` is done, again or lost."""

    name: str
    parameters: tuple[str, ...]
    verb: str


def taken(names: list[str], spread: Mapping[str, str], captured: Collection[str]) -> list[str]:
    """Return how a function takes what it is handed under these names: those whose entries are, stand last.

    What is handed over by its place may be called like an entry, such as one of those `captured`.
    """
    plain = [name for name in names if name not in spread]
    more = [f"{spread[name]}{name}" for name in names if name in spread]
    twice = any(one.startswith("**") for one in more) and not {*plain}.isdisjoint(captured)
    return [*plain, *(["/"] if twice else []), *more]


@dataclass(frozen=True, slots=True)
class EventShape:
    """How an event and its context are handed to a handler: `parameters` in order, and the rows that fill them."""

    parameters: tuple[str, ...]
    rows: tuple[Row, ...]
    constants: tuple[Constant, ...] = ()
    classes: Mapping[str, str] = field_(default_factory=dict)  # place of an object → name of its class
    event_parameters: tuple[str, ...] = ()  # those that are the event, in an event on file
    kind: str = REQUEST
    each: Access | None = None  # where the events of a batch stand; rows and constants are then those of one event
    envelope: tuple[Constant, ...] = ()  # what stands around a batch

    fields: Mapping[str, Field] = field_(default_factory=lambda: HTTP_EVENT)
    rules: tuple[Rule, ...] = EVENT_RULES
    objects: Mapping[Access, str] = field_(default_factory=dict)  # place of an object of services → name of its class
    nothing: Mapping[Access, str] = field_(default_factory=dict)  # place that is nothing where this field is empty
    levels: tuple[Level, ...] = ()  # what is gone through to the events of a batch, if more than one list
    unused: tuple[Access, ...] = ()  # places that are known and not carried
    told_of: str = ""  # what is called so (an event of a batch) has methods by which a handler says what became of it
    told_by: tuple[Told, ...] = ()
    #: parameters whose entries are handed over: `**` those of a mapping by their names, `*` those of a list in order
    spread: Mapping[str, str] = field_(default_factory=dict)

    @property
    def awaits(self) -> bool:
        """Tell whether reading it takes awaited calls."""
        return any(
            row.lens.awaited or any(isinstance(step, Call) and step.awaited for step in row.at.steps)
            for row in self.rows
            if not row.derived
        )

    @property
    def told(self) -> tuple[Constant, ...]:
        """Return the constants by which an event, or a batch of them, is told from those of other kinds."""
        told = self.constants if self.each is None else self.envelope
        return tuple(constant for constant in told if not constant.varies)

    @property
    def handed_over(self) -> tuple[str, ...]:
        """Return a handler's parameters: for a batch, the batch stands where one of its events would."""
        if self.each is None:
            return self.parameters
        every = (self.each.root if name in self.event_parameters else name for name in self.parameters)
        return tuple(dict.fromkeys(every))

    @property
    def tells_more(self) -> str:
        """Return the parameter on which a batch stands, where that tells of the call as well; else an empty text."""
        others = [name for name in self.parameters if name not in self.event_parameters]
        return self.each.root if self.each is not None and self.each.root in others else ""

    def on_file(self) -> EventShape:
        """Return the shape of the same event on file: plain JSON data, methods under `name()`, no context."""
        root = "event"
        several = len(self.event_parameters) > 1

        def filed(at: Access) -> Access:
            return at.filed(root, (at.root,) if several else ())

        # What the event itself gives, as a stream does, stands on file under the field's name.
        own = [
            replace(row, at=replace(row.at, steps=(Item(row.field),)))
            if row.lens.spread and not row.lens.on_file().spread and not row.at.steps
            else row
            for row in self.rows
            if row.at.root in self.event_parameters
        ]
        rows = tuple(
            replace(
                row,
                at=filed(row.at),
                lens=row.lens.on_file(),
                flag=filed(row.flag) if row.flag and row.lens.on_file().flagged else None,
            )
            for row in own
            if self.fields[row.field].holds != "call"
            and row.field not in OF_THE_CALL
            and not (row.derived and any(isinstance(step, Call) for step in row.at.steps))
        )
        kept = [constant for constant in self.constants if not isinstance(constant.value, bytes)]
        constants = tuple(replace(c, at=filed(c.at)) for c in kept)
        return replace(
            self,
            parameters=(root,),
            rows=rows,
            constants=constants,
            classes={},
            event_parameters=(root,),
            objects={},
            nothing={filed(at): name for at, name in self.nothing.items()},
            unused=tuple(map(filed, self.unused)),
            levels=tuple(replace(level, of=level.of.filed(level.of.root)) for level in self.levels),
            each=self.each and (self.each.filed(self.each.root) if self.levels else self.each),
        )

    def exact(self) -> EventShape:
        """Return the shape as it is read where decimals are only passed on, as they were written."""
        return replace(self, rows=tuple(replace(row, lens=row.lens.exact()) for row in self.rows))

    def without(self, offers: frozenset[str]) -> EventShape:
        """Return the shape on a server that does not give these offers."""
        rows = tuple(row for row in self.rows if row.offer not in offers)
        return replace(self, rows=rows)


@dataclass(frozen=True, slots=True)
class Kind:
    """The tables of one kind of event: how it is handed over, and how a handler answers; `asynchronous`: awaited."""

    event: EventShape
    reply: ReplyShape | None = None
    asynchronous: bool = False
    others: tuple[EventShape, ...] = ()  # shapes in which such events may come as well
    by_keyword: bool = False  # handlers are called by keyword, with what they name
    method: str = ""  # handlers are classes, and this handles an event; `setup` is called before, with `setup_takes`
    setup: str = ""
    setup_takes: tuple[str, ...] = ()

    @property
    def names_by(self) -> tuple[str | Access, ...]:
        """Return by which fields or places events of a batch are named: by handlers, by their ids, by their groups."""
        by = self.answered.again_by if self.answered.again_name is None else ""
        group = "group" if "group" in self.event.fields else "id"
        return (self.answered.again_name or by or "id", "id", self.answered.again_within or group)

    @property
    def answers_through_event(self) -> bool:
        """Tell whether handlers answer through what they are handed the event in."""
        writer = self.answered.writer
        return writer is not None and writer.name in self.event.handed_over

    @property
    def numbered(self) -> str:
        """Return under which name an event's number in its batch stands, where handlers name it by that alone."""
        at, index = self.answered.again_name, self.event.levels[-1].index if self.event.levels else ""
        if at is None or not index or at.steps[:1] != (Item(index),):
            return ""
        return "" if any(row.at.steps[:1] == (Item(index),) for row in self.event.rows) else index

    @property
    def answered(self) -> ReplyShape:
        """Return how a handler answers; one that has nothing to say is done when it ends."""
        return self.reply or NOTHING_TO_SAY


#: How a form of a reply is told from the others: a test on the value that a handler returned.
TESTS: Final = {
    "nothing": "{0} is None",
    "text": "isinstance({0}, str)",
    "bytes": "isinstance({0}, bytes)",
    "mapping": "isinstance({0}, dict)",
    "object": "isinstance({0}, {1})",
    "raised": "isinstance({0}, {1})",
    "data": "isinstance({0}, (dict, list, int, float))",
    "truth": "isinstance({0}, bool)",
    "number": "isinstance({0}, int) and not isinstance({0}, bool)",
    "list": "isinstance({0}, list)",
    "tuple": "isinstance({0}, tuple)",
    "pieces": "isinstance({0}, Pieces)",
    "writer": "isinstance({0}, Writer)",
    "always": "True",
}


@dataclass(frozen=True, slots=True)
class ReplyForm:
    """One form in which a handler may answer: told by `when`; `fixed` gives hub fields that the form implies."""

    when: str
    rows: tuple[Row, ...] = ()
    fixed: Mapping[str, Any] = field_(default_factory=dict)
    class_name: str = ""  # with its module
    default_types: tuple[str, str] | None = None  # of a content that names no type: given as text, given as bytes
    written: bool = False
    keys: tuple[str, ...] = ()  # of a mapping: it has no others
    types: Mapping[str, str] = field_(default_factory=dict)  # text, bytes, json → the type of a content that names none
    type_first: bool = False
    nothing_at: Access | None = None  # where nothing stands, or the answer has another form
    head: str = "tuple"  # of an answer in pieces: the class of what may come first
    called: str = ""  # under which name a translation knows the class, if not its own
    line: int = field_(default=0, compare=False)

    @property
    def raised(self) -> bool:
        """Tell whether an answer of this form is raised."""
        return self.when == "raised"

    @property
    def short_name(self) -> str:
        """Return the class's name without its module."""
        return self.class_name.rpartition(".")[2]


@dataclass(frozen=True, slots=True)
class ByHand:
    """How an answer is written by hand where the protocol has no object for one: a class that is brought along."""

    form: ReplyForm
    takes: tuple[str, ...]
    ends: str  # what stands behind an answer where the handler returns it
    awaited: bool = False


@dataclass(frozen=True, slots=True)
class ReplyShape:
    """How a handler answers: the forms in the order in which they are told apart, one of which is written."""

    forms: tuple[ReplyForm, ...]
    root: str = "reply"
    callback: Callback | None = None
    fields: Mapping[str, Field] = field_(default_factory=lambda: HTTP_REPLY)
    rules: tuple[Rule, ...] = REPLY_RULES
    via: str = ""  # how the answer travels, where it is not what the handler returns: one of `VIAS`
    by_hand: ByHand | None = None
    again_by: str = ""  # the field by which events are named that shall come again, if not their id
    again_with: str = ""  # which others come again with one: `all`, `rest` (what stands behind it), `group`
    bodyless: tuple[int, ...] = ()  # statuses with which content and its type are left out
    writer: ByWriter | None = None
    again_name: Access | None = None  # where an entry has what names it, if that is no field
    again_within: Access | None = None  # where an entry has what those have in common that come again together

    @property
    def of_event(self) -> tuple[str, ...]:
        """Return the fields of the event that is answered which an answer's content holds."""
        lenses = [row.lens for form in self.forms for row in form.rows]
        return tuple(dict.fromkeys(name for lens in lenses for name in lens.of_event))

    @property
    def awaits(self) -> bool:
        """Tell whether reading an answer takes awaited calls."""
        places = (row.at for form in self.forms for row in form.rows)
        return any(isinstance(step, Call) and step.awaited for at in places for step in at.steps)

    def on_file(self) -> ReplyShape:
        """Return the shape with what a translation answers as plain data, methods under `name()`."""
        rows = tuple(replace(row, at=row.at.filed(row.at.root)) for row in self.written.rows)
        return replace(self, forms=(replace(self.written, when="mapping", class_name="", rows=rows),), writer=None)

    @property
    def told(self) -> ByWriter | None:
        """Return the writer by which a translation answers, where that is the written form."""
        return self.writer if self.written.when == "writer" else None

    @property
    def holds_again(self) -> bool:
        """Tell whether an answer can name events of a batch that shall be delivered again."""
        return any(row.field == "again" for row in self.written.rows)

    @property
    def written(self) -> ReplyForm:
        """Return the form in which a translation answers."""
        return next(form for form in self.forms if form.written)


def _hub_rows(fields: Mapping[str, Field], *, calls: bool = False) -> tuple[Row, ...]:
    return tuple(
        Row(Access("hub", (Item(name),)), name, PlainBytes() if field.holds == "bytes" else Plain())
        for name, field in fields.items()
        if field.truth or (calls and field.holds == "call")
    )


def _hub_shape(kind: str, *, calls: bool) -> EventShape:
    rows = _hub_rows(EVENTS[kind], calls=calls)
    if not calls:
        rows = tuple(row for row in rows if row.field not in OF_THE_CALL)
    return EventShape(("hub",), rows, event_parameters=("hub",), kind=kind, fields=EVENTS[kind], rules=RULES[kind])


#: The hub itself as a shape: a mapping from field name to value. Reading is translating to it, writing is from it.
HUB_EVENTS: Final = {kind: _hub_shape(kind, calls=False) for kind in EVENTS}
#: The same with what a call needs beside the event, as a stand-in gives it.
HUB_CALLS: Final = {kind: _hub_shape(kind, calls=True) for kind in EVENTS}
HUB_EVENT: Final = HUB_EVENTS[REQUEST]
#: The fields of answers as those of an event, for what is worked out of single fields.
HUB_ANSWERS: Final = {
    kind: EventShape(
        ("hub",),
        _hub_rows(one.reply),
        event_parameters=("hub",),
        kind=kind,
        fields=one.reply,
        rules=REPLY_RULES if is_request(kind) else (),
    )
    for kind, one in KINDS.items()
}
HUB_REPLY: Final = ReplyShape(
    (ReplyForm("mapping", tuple(row for row in _hub_rows(HTTP_REPLY) if row.field != "method"), written=True),),
    "hub",
)


#: The same for handlers of anything but HTTP.
HUB_DONE: Final = ReplyShape((ReplyForm("mapping", _hub_rows(DONE), written=True),), "hub", fields=DONE, rules=())


#: A handler that is done when it ends, whatever it returned.
NOTHING_TO_SAY: Final = ReplyShape((ReplyForm("always", written=True),), fields=DONE, rules=())

#: The hub as a caller that hands over a batch.
HUB_BATCHES: Final = {
    kind: replace(shape, each=Access("hubs")) for kind, shape in HUB_CALLS.items() if not is_request(kind)
}


def hub_answer(kind: str) -> ReplyShape:
    """Return the hub's own shape of an answer to events of a kind."""
    return HUB_REPLY if is_request(kind) else HUB_DONE


@dataclass(frozen=True, slots=True)
class TableProblem:
    """A row that can't stand: at which line of its file, what is wrong, what to do."""

    line: int
    what: str
    remedy: str


def check_event(shape: EventShape, *, of_a_call: bool = False) -> list[TableProblem]:
    """Return what is wrong with the rows of an event, or of a call's arguments.

    That are unknown roots, fields read twice, lenses of the wrong kind.
    """
    reserved = RESERVED - {"hub"} - (FREE_FOR_CALLS if of_a_call else frozenset())
    problems = _check_rows(shape.rows, shape.fields, set(shape.parameters))
    problems += [
        TableProblem(1, f"a parameter can't be called {name!r}: generated code uses that name", "Give it another name")
        for name in shape.parameters
        if name in reserved or keyword.iskeyword(name)
    ]
    written = [
        (row.at, row.line) for row in shape.rows if not (row.lens.spread or row.lens.reads_only or row.read_only)
    ]
    written += [(row.flag, row.line) for row in shape.rows if row.flag]
    written += [(constant.at, constant.line) for constant in shape.constants]
    problems += _check_places(written)
    standing = {str(at) for at, _ in written}
    problems += [
        TableProblem(
            row.line,
            f"{row.field} is read at a place that nothing writes, and that may not be missing",
            "Leave `read_only` out; or say `optional: true`, so that an event without it can be read",
        )
        for row in shape.rows
        if row.read_only and not row.optional and row.at.root in shape.parameters and str(row.at) not in standing
    ]
    return problems


def check_reply(shape: ReplyShape) -> list[TableProblem]:
    """Return what is wrong with the forms of a reply."""
    problems: list[TableProblem] = []
    roots = {shape.root, "returned", *(shape.callback.arguments if shape.callback else ())}
    for form in shape.forms:
        problems += _check_rows(form.rows, shape.fields, roots)
        for name in form.fixed:
            if name not in shape.fields:
                problems.append(_unknown_field(name, form.line, shape.fields))
        if form.when not in TESTS:
            problems.append(
                TableProblem(form.line, f"a form can't be told by {form.when!r}", f"Use one of {', '.join(TESTS)}")
            )
    line = shape.forms[0].line if shape.forms else 0
    if sum(form.written for form in shape.forms) != 1:
        problems.append(
            TableProblem(line, "exactly one form of a reply must be the written one", "Mark one form `written: true`")
        )
    return problems


def _unknown_field(name: str, line: int, fields: Mapping[str, Field]) -> TableProblem:
    return TableProblem(
        line,
        f"there is no hub field {name!r}{nearest(name, fields)}",
        f"Use one of: {', '.join(sorted(fields))}",
    )


def _lens_problems(row: Row, fields: Mapping[str, Field]) -> Iterator[TableProblem]:
    """Yield what is wrong with a row's lens for its field."""
    holds = fields[row.field].holds
    if row.lens.holds and holds != "any" and holds not in row.lens.holds:
        what = f"lens {row.lens} is for {' or '.join(row.lens.holds)}, and {row.field} holds {holds}"
        yield TableProblem(row.line, what, "Take another lens, or another field")
    if wrong := row.lens.wrong(fields):
        yield TableProblem(row.line, f"lens {row.lens}: {wrong}", "Correct what it is given")


#: What to do about content that stands under one of several keys.
_EITHER_KEY = (
    "; where it stands under one of several keys, one row reads what holds these: content_by_key(a=text, b=base64)"
)


def _check_rows(rows: tuple[Row, ...], fields: Mapping[str, Field], roots: set[str]) -> list[TableProblem]:
    problems: list[TableProblem] = []
    read: dict[str, Row] = {}
    for row in rows:
        if row.field not in fields:
            problems.append(_unknown_field(row.field, row.line, fields))
            continue
        if row.at.root not in roots:
            problems.append(
                TableProblem(
                    row.line,
                    f"place {row.at} starts at {row.at.root!r}, which is no parameter",
                    f"Start it at one of: {', '.join(sorted(roots))}",
                )
            )
        problems += _lens_problems(row, fields)
        if row.lens.flagged and row.flag is None:
            problems.append(
                TableProblem(row.line, f"lens {row.lens.name} needs a second place", "Add `flag:` with that place")
            )
        if row.flag is not None and not row.lens.flagged:
            problems.append(
                TableProblem(row.line, f"lens {row.lens.name} has no second place", "Take `flag:` out of the row")
            )
        if row.derived:
            continue
        if row.field in read:
            problems.append(
                TableProblem(
                    row.line,
                    f"{row.field} is read at {read[row.field].at} (line {read[row.field].line}) and again at {row.at}",
                    "Mark the rows that only show it again `derived: true`"
                    + (_EITHER_KEY if fields[row.field].holds == "bytes" else ""),
                )
            )
        read.setdefault(row.field, row)
        if row.lens.derived_only:
            problems.append(
                TableProblem(
                    row.line,
                    f"lens {row.lens.name} can't be read back exactly",
                    "Mark the row `derived: true` and read the field somewhere else",
                )
            )
    return [*problems, *_told_by_themselves(read)]


def _told_by_themselves(read: Mapping[str, Row]) -> Iterator[TableProblem]:
    """Yield the rows whose field is told by another one, which is told by it again."""
    for name, row in read.items():
        waiting, seen = list(row.lens.asks), set[str]()
        while waiting:
            asked = waiting.pop()
            if asked in seen or asked not in read:
                continue
            seen.add(asked)
            waiting += read[asked].lens.asks
        if name in seen:
            others = ", ".join(sorted(seen - {name}))
            what = (
                f"{name} is told by {others}, and {others} by {name} again" if others else f"{name} is told by itself"
            )
            yield TableProblem(row.line, what, "Let one of them be read by itself")


def _check_places(written: list[tuple[Access, int]]) -> list[TableProblem]:
    problems: list[TableProblem] = []
    seen: dict[str, int] = {}
    for at, line in written:
        text = str(at)
        if text in seen:
            problems.append(
                TableProblem(
                    line,
                    f"place {text} is written twice (also in line {seen[text]})",
                    "Keep one of the rows, or give them different places",
                )
            )
        seen.setdefault(text, line)
    return problems
