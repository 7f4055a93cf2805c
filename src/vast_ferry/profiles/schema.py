"""The schema of a profile file: what an author may write, in the author's own terms (pydantic models, nothing else)."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from vast_ferry.profiles.schema_definition import DefinitionModel
from vast_ferry.profiles.schema_texts import Called, Dotted, Identifier, Inside, Line, Model, Name, Parameter


class RowModel(Model):
    """A lens between a native place and a hub field."""

    at: str | list[str] = Field(description="native place, an access path from a parameter; or several")
    is_: str | list[str] = Field(
        alias="is", description="hub field; or a text of several, such as '{method} {target}'; or several such texts"
    )
    as_: str = Field("plain", alias="as", description="lens")
    words: dict[str | int | bool | None, str | int] = Field(
        {}, description="the provider's words, each for what it is here: of `choice`, of values under types, of content"
    )
    derived: bool = Field(False, description="only shows a field again: written, never read")
    optional: bool = Field(False, description="the place may be missing")
    unless_empty: bool = Field(False, description="left out where the field is empty")
    null_if_empty: bool = Field(False, description="null where the field is empty")
    read_only: bool = Field(False, description="read, and written by no row")
    or_at: str = Field("", description="place that is read where nothing stands at `at`; it is not written")
    flag: str = Field("", description="second place of a lens that needs one")
    offer: Name | Literal[""] = Field("", description="name of an offer that only some servers make")


class ConstantModel(Model):
    """A native place that always holds the same value."""

    at: str = Field(description="place, an access path from a parameter")
    holds: Any = Field(description="what always stands there")
    tuple_: bool = Field(False, alias="tuple", description="whether the list is meant as a tuple")
    bytes_: bool = Field(False, alias="bytes", description="whether the text is meant as bytes; not kept on file")
    varies: bool = Field(
        False, description="whether another value may stand there: this one is written, and tells nothing"
    )

    @model_validator(mode="after")
    def _fits(self) -> ConstantModel:
        if self.tuple_ and not isinstance(self.holds, list):
            raise ValueError("a tuple is written as a list")
        return self


class FormModel(Model):
    """One form in which a handler may answer."""

    when: str = Field(description="by what it is told from the others: see the table of forms")
    rows: list[RowModel] = Field([], description="what its places mean")
    fixed: dict[str, Any] = Field({}, description="hub fields that the form implies, such as status: 204")

    @field_validator("fixed")
    @classmethod
    def _pairs(cls, fixed: dict[str, Any]) -> dict[str, Any]:
        for name, value in fixed.items():
            pairs = isinstance(value, list) and all(
                isinstance(pair, list) and len(pair) == 2 and all(isinstance(one, str) for one in pair)
                for pair in value
            )
            if name.startswith("headers") and not pairs:
                raise ValueError(f"{name} is a list of pairs, each a list of a name and a value")
        return fixed

    class_: Dotted | Literal[""] = Field(
        "", alias="class", description="of object and raised: its class, with its module"
    )
    default_types: list[str] = Field(
        [], max_length=2, description="types of a content that names none: given as text, given as bytes"
    )
    written: bool = Field(False, description="whether translations answer in this form; exactly one is")
    keys: list[str] = Field([], description="of a mapping: that it has no other keys than these")
    types: dict[Literal["text", "bytes", "json"], str] = Field(
        {}, description="type of a content that names none, by what it is given as"
    )
    type_first: bool = Field(False, description="whether that type comes before the other header fields")
    nothing_at: str = Field(
        "", description="place where nothing stands: an answer with something there has another form"
    )
    head: Dotted = Field("tuple", description="of an answer in pieces: the class of what may come first")

    @model_validator(mode="after")
    def _has_its_class(self) -> FormModel:
        if self.when in ("object", "raised") and not self.class_:
            raise ValueError(f"a form that is told by `{self.when}` needs its class")
        return self


class CallbackModel(Model):
    """A parameter that is called to answer."""

    name: Identifier = Field(description="the parameter")
    arguments: list[Identifier] = Field(description="what it is called with, in order; rows begin at these names")
    defaults: list[Identifier] = Field([], description="those of them that may be left out")


class WriterMethodModel(Model):
    """A method by which a handler answers, and what it does to the attributes that rows read."""

    takes: list[Parameter] = Field([], description="parameters, with defaults as Python literals")
    sets: dict[Identifier, Identifier] = Field({}, description="attribute → parameter that it is set to")
    adds: dict[Identifier, Identifier] = Field({}, description="attribute (bytes, text, a list) → what is added to it")
    puts: dict[Identifier, list[Identifier]] = Field(
        {}, description="attribute (a mapping, a list of pairs) → parameters of the name and of what is put there"
    )
    over: bool = Field(False, description="whether what is put takes the place of what stood under its name")
    seals: list[Identifier] = Field([], description="attributes that nothing may be told to after it")
    only: dict[Identifier, Literal["bytes", "text", "number"]] = Field(
        {}, description="parameter → what it has to be; anything else is a TypeError"
    )
    first: Dotted | Literal[""] = Field("", description="error that is raised where anything was told before")
    ends: bool = Field(False, description="whether the answer is out with it: nothing may be told after it")

    @model_validator(mode="after")
    def _fits(self) -> WriterMethodModel:
        known = {parameter.partition("=")[0] for parameter in self.takes}
        wrong = next((len(pair) for pair in self.puts.values() if len(pair) != 2), 0)
        if wrong:
            raise ValueError("what is put has two parameters: its name, and what is put there")
        used = [*self.sets.values(), *self.adds.values(), *self.only, *(p for pair in self.puts.values() for p in pair)]
        if stray := next((name for name in used if name not in known), ""):
            raise ValueError(f"{stray!r} is none of what the method takes")
        return self


class WriterModel(Model):
    """An object that is handed to a handler, by whose methods and attributes it answers."""

    name: Identifier = Field(description="parameter that it is, where a handler takes it")
    first: bool = Field(False, description="whether it comes before the event, not behind all else")
    holds: list[Parameter] = Field(description="attributes, with what they hold at first as Python literals")
    methods: dict[Identifier, WriterMethodModel] = Field({}, description="its methods, by name")
    returns: bool = Field(
        False, description="whether what a handler returns is its answer where it told the writer nothing"
    )

    @model_validator(mode="after")
    def _fits(self) -> WriterModel:
        known = {attribute.partition("=")[0]: attribute.partition("=")[1] for attribute in self.holds}
        if not all(known.values()):
            raise ValueError("an attribute is written with what it holds at first, such as status=200")
        for name, method in self.methods.items():
            stray = next(
                (one for one in (*method.sets, *method.adds, *method.puts, *method.seals) if one not in known), ""
            )
            if stray:
                raise ValueError(f"method {name}: {stray!r} is none of what the writer holds")
        return self


class ToldModel(Model):
    """A method by which a handler says what became of one event of a batch."""

    takes: list[Parameter] = Field([], description="parameters, with defaults as Python literals")
    says: Literal["done", "again", "lost"] = Field(description="done; to come again; put aside, as done")


class LevelModel(Model):
    """A step on the way to the events of a batch: a list or mapping that is gone through, or what is encoded."""

    of: str = Field(description="place of a list or mapping; or a place, `|` and a lens")
    each: Identifier | Literal[""] = Field("", description="what each of them is called")
    key: Identifier | Literal[""] = Field("", description="what its key in a mapping is called")
    index: Identifier | Literal[""] = Field("", description="what its number in a list is called, from 0")
    call: Identifier | Literal[""] = Field("", description="what is called so that the lens reads there")


class EventModel(Model):
    """How an event is handed to a handler."""

    parameters: list[Identifier] = Field([], description="parameters of handlers of this kind, if not the usual ones")
    event: list[Identifier] = Field([], description="those parameters that are the event, if not the usual ones")
    method: Identifier | Literal[""] = Field(
        "", description="where handlers are classes: the method for events of this kind, if not the usual one"
    )
    each: str | list[LevelModel] = Field(
        "",
        description="place of the events of a batch, or the way to them; rows and constants are then those of one",
    )
    told_of: Identifier | Literal[""] = Field(
        "", description="which of the names of `each` has methods by which a handler says what became of that event"
    )
    told_by: dict[Identifier, ToldModel] = Field({}, description="those methods: what each takes, and says")
    let: dict[Identifier, str] = Field(
        {}, description="names for places, perhaps read through a lens: place, or place | lens"
    )
    nothing: dict[str, str] = Field({}, description="place that is null where a field is empty: place → field")
    unused: list[str] = Field([], description="places that are known and not carried")
    entry: Identifier = Field("entry", description="root of the places of one event of a batch")
    envelope: list[ConstantModel] = Field([], description="constants around a batch")
    constants: list[ConstantModel] = Field([], description="places that always hold the same")
    rows: list[RowModel] = Field(description="what the places of an event mean")
    classes: dict[str, Identifier] = Field(
        {}, description="place of an object that translations make → name of its class"
    )


class ByHandModel(Model):
    """How a handler that is written by hand makes an answer where the protocol has no object for one."""

    class_: Dotted = Field(alias="class", description="class of a file that is brought along, with its module")
    takes: list[Parameter] = Field(description="constructor parameters, with defaults as Python literals")
    rows: list[RowModel] = Field(description="what its attributes mean")
    default_types: list[str] = Field(
        [], max_length=2, description="types of a content that names none: given as text, given as bytes"
    )
    ends: str = Field(
        pattern=r"^(\.[a-z_]+)?\([a-z_, ]*\)$", description="what stands behind an answer where the handler returns it"
    )
    awaited: bool = Field(False, description="whether that is awaited")


class ReplyModel(Model):
    """How a handler answers, or says that it is done."""

    root: Identifier = Field("reply", description="the name by which places of an answer begin")
    via: Literal["", "messages", "document"] = Field(
        "", description="how the answer travels: returned; as ASGI messages; as a CGI document"
    )
    callback: CallbackModel | None = Field(None, description="a parameter that is called to answer")
    forms: list[FormModel] = Field(description="the forms of an answer, in the order in which they are told apart")
    again_by: str = Field(
        "",
        description="hub field by which events are named that shall come again, if not their id; or a place that has "
        "the name, by a name of `each`",
    )
    again_within: str = Field(
        "", description="with `again_with: group`: the place of what they have in common, if not their group"
    )
    again_with: Literal["", "all", "rest", "group"] = Field(
        "", description="which others come again with one: all, those behind it, or those behind it of its group"
    )
    bodyless: list[int] = Field([], description="statuses with which content and its type are left out")
    writer: WriterModel | None = Field(None, description="what a handler answers through, read by the form `writer`")
    by_hand: ByHandModel | None = Field(
        None, description="what handlers written by hand answer with, where the protocol has no object for it"
    )


class KindModel(Model):
    """Events of one kind, and what a handler says when it is done with one."""

    event: EventModel = Field(description="how an event is handed over")
    others: list[EventModel] = Field([], description="shapes in which such events may come as well; they are read")
    reply: ReplyModel | None = Field(None, description="how a handler answers")


class HttpModel(KindModel):
    """Events and replies of the HTTP kind."""

    reply: ReplyModel | None = Field(None, description="how a handler answers")


class ClientModel(Model):
    """A call by which handlers reach a service: what it does, its parameters, and how they stand for hub fields."""

    does: str = Field(description="operation of the hub, such as object.read")
    takes: list[Parameter] = Field([], description="parameters, with defaults as Python literals")
    rows: list[RowModel] = Field([], description="what the parameters mean; places begin at their names")
    gives: str = Field("plain", description="lens of what it gives back")
    returns: list[RowModel] = Field(
        [], description="where what it gives back is an object or a mapping: its rows, with places of `returned`"
    )
    absent: Annotated[str, Field(pattern=r"^(none|LookupError|KeyError|FileNotFoundError|[a-z_]\w*(\.\w+)+)$")] = Field(
        "none",
        description="what happens where there is nothing to read: None is given back, or this is raised, one of the "
        "provider's own by its module and name",
    )
    awaited: bool = Field(False, description="whether the call is awaited")
    pages: Identifier | Literal[""] = Field(
        "",
        description="parameter that asks for what follows, where the call lists page by page: handlers come from such "
        "a call (all is on the first page then), and are not carried to it",
    )

    @model_validator(mode="after")
    def _pages_of_its_own(self) -> ClientModel:
        if self.pages and self.pages not in {one.partition("=")[0] for one in self.takes if "=" in one}:
            raise ValueError(f"pages: the call takes no {self.pages!r} that may be left out")
        return self


class ConverterModel(Model):
    """A function of a provider's module that takes a value as a lens writes it and gives what it reads, or back."""

    reads: str = Field("", description="the lens that reads what it takes")
    writes: str = Field("", description="the lens that writes what it takes")
    words: dict[Any, str] = Field({}, description="the words of that lens")

    @model_validator(mode="after")
    def _one_way(self) -> ConverterModel:
        if bool(self.reads) == bool(self.writes):
            raise ValueError("a converter either reads or writes")
        return self


class MountModel(Model):
    """Services as a folder of files, for handlers that know no clients."""

    variable: Identifier = Field(description="environment variable that names the folder")
    objects: Annotated[str, Field(pattern=r"^[\w-]*$")] = Field("", description="folder of objects, as BUCKET/KEY")
    messages: Annotated[str, Field(pattern=r"^[\w-]*$")] = Field("", description="folder of messages, as CHANNEL/NAME")
    records: Annotated[str, Field(pattern=r"^[\w-]*$")] = Field(
        "",
        description="folder of records, as TABLE/KEY.json: the key as JSON, percent-encoded; the record is inside",
    )


class HandlerModel(Model):
    """How a handler is defined and called."""

    parameters: list[Identifier] = Field(description="what a handler is handed, in order")
    event: list[Identifier] = Field(description="those parameters that are the event")
    process: Literal["function", "project"] = Field("function", description="what shares one process")
    asynchronous: bool = Field(False, description="whether handlers are coroutine functions")
    by_keyword: bool = Field(False, description="whether handlers are called by keyword, with what they name")
    spread: list[Identifier] = Field(
        [],
        description="those parameters whose entries are handed over: of a mapping by their names, of a list in order",
    )
    method: Identifier | Literal[""] = Field("", description="where handlers are classes: the method for an event")
    setup: Identifier | Literal[""] = Field("", description="the method of such a class that is called before all else")
    setup_takes: list[Identifier] = Field([], description="those parameters that it takes, and no other method")
    script: bool = Field(False, description="whether a handler is a file that is run, a process an event")
    octets: bool = Field(False, description="whether a script's environment holds octets, each a character here")
    mount: MountModel | None = Field(None, description="services as a folder of files")
    output: Identifier | Literal[""] = Field(
        "", description="where declared bindings become parameters: the method by which a handler fills an output"
    )
    entry: str = Field(
        "",
        pattern=r"^(\w+(\.\w+)*:\w+|\w+\.\w+)?$",
        description="entry of a whole project, as module:callable or a script, where functions have none",
    )
    shim: Identifier | Literal[""] = Field("", description="name of the handler in a carried shim; empty: as written")


class MakerModel(Model):
    """Another way to make an object of a class: a value of its own becomes an attribute, as JSON."""

    takes: list[Parameter] = Field(description="parameters, the value first; the others are the constructor's")
    content: Identifier = Field(description="attribute that the value becomes, as JSON")
    style: list[str] = Field([], description="how JSON is written: spaced, sorted, ascii")
    fields: Identifier = Field(description="attribute of header fields, which get the type")
    type: str = Field("application/json", description="the type, where the fields name none")
    type_first: bool = Field(False, description="whether that type comes before the other header fields")


class ClassModel(Model):
    """A class that handlers import from the provider."""

    takes: list[Parameter] = Field(description="constructor parameters, with defaults as Python literals")
    adds: dict[Identifier, Identifier] = Field(
        {}, description="methods that add a pair to an attribute, and give the object: method → attribute"
    )
    sets: dict[Identifier, Identifier] = Field(
        {}, description="methods that set an attribute, and give the object: method → attribute"
    )
    makers: dict[Identifier, MakerModel] = Field({}, description="other ways to make one: method of the class → how")
    error: bool = Field(False, description="whether it is an exception, to be raised")
    about: str = Field("", description="one line for its documentation")

    @model_validator(mode="after")
    def _fits(self) -> ClassModel:
        known = {parameter.partition("=")[0].strip() for parameter in self.takes}
        methods = {**self.adds, **self.sets}
        if stray := next((one for one in methods.values() if one not in known), ""):
            raise ValueError(f"{stray!r} is none of what the class takes")
        if alike := next((one for one in (*methods, *self.makers) if one in known), ""):
            raise ValueError(f"{alike!r} is a method and what the class takes: call the second otherwise here")
        return self


class RouteModel(Model):
    """How captures are spelt in a route; `name` stands for the capture's name, `type` for its type."""

    one: str = Field(description="a capture of one segment, with `name` for its name")
    rest: str = Field(description="a capture of all that follows, with `name` for its name")
    typed: str = Field("", description="a capture with a type; empty where there are none")
    types: dict[Identifier, Literal["int", "word", "uuid"]] = Field({}, description="the provider's word for each type")
    slash: str = Field("", description="what says that a slash at the end may be left out")
    leading: bool = Field(True, description="whether a route begins with a slash")
    order: Literal["specific", "declared"] = Field("specific", description="which of two routes that match wins")


class FileModel(Model):
    """A file that a carried project gets, from a template beside the profile."""

    path: Inside = Field(description="where the file goes in what is carried")
    template: Annotated[str, Field(pattern=r"^[\w-]+(\.[\w-]+)*$")] = Field(
        description="the template beside the profile that it is made from"
    )
    keeps: bool = Field(False, description="the author's file of the same path, if any, is handed to the template")
    services: bool = Field(False, description="only where a handler calls services")
    answers: bool = Field(False, description="only where a handler was rewritten that makes answers")
    todo: bool = Field(
        True, description="whether these services are a makeshift, for which a person has to find others"
    )


class MemoryModel(Model):
    """How much memory a function may have, in MiB: one of `sizes`, or any step between two ends."""

    sizes: list[int] = Field([], description="the sizes that there are, in MiB")
    least: int = Field(0, description="the least, in MiB")
    most: int = Field(0, description="the most, in MiB")
    step: int = Field(1, description="in steps of so many MiB")


class EnvironmentModel(Model):
    """What code finds in `os.environ`."""

    settings: bool = Field(True, description="whether variables stand there")
    secrets: Literal["values", "paths", "nowhere"] = Field(
        "values", description="how secrets stand there: their values, paths of files that hold them, or not at all"
    )


class LimitsModel(Model):
    """What the provider allows; 0 and empty: no limit that its profile knows."""

    longest: float = Field(60, description="longest run of an HTTP function, in seconds")
    longest_event: float = Field(0, description="longest run for any other event, if it is another")
    default_timeout: float = Field(0, description="how long a function may run that does not say")
    memory: MemoryModel | None = Field(None, description="memory of a function")
    default_memory: int = Field(0, description="MiB of a function that does not say")
    largest_event: int = Field(0, description="largest event, in bytes")
    largest_request: int = Field(0, description="largest content of a request, in bytes")
    largest_reply: int = Field(0, description="largest content of a reply, in bytes")
    largest_bundle: int = Field(0, description="largest archive of a project with all that it needs, in bytes")
    concurrency: int = Field(1, description="most calls that one instance takes at a time")
    languages: list[str] = Field([], description="versions of Python that run there")
    batch_size: int = Field(1, description="most events in a batch")
    batch_window: float = Field(0, description="longest wait for a batch to fill, in seconds")
    functions: int = Field(0, description="most functions of a project")
    variables: int = Field(0, description="most bytes of all variables of a function")


class DeliveryModel(Model):
    """What a handler may rely on when events of a kind are delivered."""

    order: Literal["none", "group", "all"] = Field("none", description="which events come one after the other")
    times: Literal["once_or_more", "once_at_most"] = Field("once_or_more", description="how often an event comes")
    attempts: int = Field(1, description="how often an event is tried where the function does not say")
    most_attempts: int = Field(1, description="how often it may be tried at most")
    backoff: Literal["none", "fixed", "doubling"] = Field("none", description="how the wait between attempts grows")
    dead_letter: bool = Field(False, description="whether an event that failed each time can be kept in a channel")


class FreeModel(Model):
    """What a month costs nothing for."""

    calls: int = Field(0, description="calls a month")
    gb_seconds: float = Field(0, description="GB-seconds a month")
    gb_out: float = Field(0, description="GB out a month")


class PriceModel(Model):
    """What a month costs, in the provider's coin."""

    coin: str = Field(description="what a price is counted in")
    per_million_calls: float = Field(description="price of a million calls")
    per_gb_second: float = Field(description="price of a GB-second")
    per_gb_out: float = Field(0, description="price of a GB out")
    step_ms: int = Field(1, ge=1, description="runs are rounded up to a multiple of so many milliseconds")
    least_ms: int = Field(0, description="a run counts as so long at least")
    per_month: float = Field(0, description="what is paid in any case")
    free: FreeModel = Field(
        default_factory=lambda: FreeModel.model_validate({}), description="what a month has for nothing"
    )


class ProfileModel(Model):
    """One edition of one provider, whole."""

    extends: str = Field(
        "",
        description="profile (NAME@EDITION) of which only what differs stands here: mappings are put together by their "
        "keys, lists are replaced, null takes a key away",
    )
    provider: Name = Field(description="name of the provider, in lower case")
    edition: int = Field(ge=1, description="number of the edition")
    title: Line = Field(description="name of the provider as people write it")
    about: str = Field(description="one line on how handlers look there")
    text: str = Field("", description="what the shapes alone don't say, in Markdown, for docs/providers.md")
    standard: bool = Field(False, description="whether it is an open standard")
    format: Literal["", "cloudevents"] = Field("", description="open format whose rules its events on file keep")
    aliases: list[Name] = Field([], description="other names of the provider")
    evidence: Inside | Literal[""] = Field(
        "", description="folder beside the profile with recorded events and what they mean, see docs/profiles.md"
    )
    handler: HandlerModel = Field(description="how handlers are defined and called")
    modules: dict[Dotted, dict[Identifier, ClassModel]] = Field(
        {}, description="module → the classes that handlers import from it"
    )
    decorators: dict[Dotted, list[Dotted]] = Field({}, description="what handlers are declared with, by module")
    clients: dict[Dotted, dict[Called, ClientModel]] = Field(
        {}, description="calls by which handlers reach services, by the module or parameter on which they are made"
    )
    converters: dict[Dotted, dict[Identifier, ConverterModel]] = Field(
        {}, description="functions of a module by which handlers turn plain values into the provider's, and back"
    )
    surroundings: dict[Dotted, dict[Identifier, Literal["settings", "typed_settings", "setting", "secret"]]] = Field(
        {},
        description="what else handlers find in a module: an object of settings (typed: numbers and booleans are what "
        "they say), or a function that gives a setting or a secret by its name",
    )
    environment: EnvironmentModel = Field(
        default_factory=lambda: EnvironmentModel.model_validate({}),
        description="what of settings and secrets stands in `os.environ`",
    )
    context: list[RowModel] = Field([], description="what a handler is told of its call")
    http: HttpModel | None = Field(None, description="events and answers of HTTP")
    object: KindModel | None = Field(None, description="events of objects in buckets")
    message: KindModel | None = Field(None, description="events of messages in channels")
    record: KindModel | None = Field(None, description="events of records in tables")
    schedule: KindModel | None = Field(None, description="events of schedules")
    signal: KindModel | None = Field(None, description="events of signals")
    call: KindModel | None = Field(None, description="direct calls")
    routes: RouteModel | None = Field(None, description="how captures are spelt in routes")
    definition: DefinitionModel | None = Field(None, description="where and how functions are declared")
    files: list[FileModel] = Field([], description="files that are brought along where a whole project is carried")
    limits: LimitsModel = Field(
        default_factory=lambda: LimitsModel.model_validate({}), description="what the provider allows"
    )
    delivery: dict[Literal["object", "message", "record", "schedule", "signal", "call"], DeliveryModel] = Field(
        {}, description="what may be relied on, by kind of event"
    )
    price: PriceModel | None = Field(None, description="what it costs")
    notes: list[str] = Field([], description="what a person who carries a project here must know")
    javascript: dict[str, Any] | None = Field(
        None,
        description="what differs where handlers are written in JavaScript: any keys of a profile, put together over "
        "those above as those of one that extends it; without it no JavaScript runs there",
    )
