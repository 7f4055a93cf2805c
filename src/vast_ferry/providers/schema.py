"""The schema of a profile file: what an author may write, in the author's own terms (pydantic models, nothing else)."""

from __future__ import annotations

import ast
import keyword
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field


def _inside(path: str) -> str:
    if path.startswith("/") or "\\" in path or any(part in ("", ".", "..") for part in path.split("/")):
        raise ValueError("must be a path inside the project")
    return path


def _parameter(text: str) -> str:
    name, mark, default = text.partition("=")
    try:
        literal = repr(ast.literal_eval(default.strip())) if mark else ""
    except (ValueError, SyntaxError, MemoryError, RecursionError):
        raise ValueError("must be a name, or name=literal") from None
    if not name.strip().isidentifier() or keyword.iskeyword(name.strip()):
        raise ValueError("must be a name, or name=literal")
    return f"{name.strip()}={literal}" if mark else name.strip()


# What a profile says goes into generated code and paths: each such text is held to a form that can be nothing else.
Name = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_-]*$")]
Identifier = Annotated[str, Field(pattern=r"^[A-Za-z_][A-Za-z0-9_]*$")]
Dotted = Annotated[str, Field(pattern=r"^[A-Za-z_][A-Za-z0-9_]*(\.[A-Za-z_][A-Za-z0-9_]*)*$")]
Inside = Annotated[str, AfterValidator(_inside)]
Parameter = Annotated[str, AfterValidator(_parameter)]


class Model(BaseModel):
    """A part of a profile: unknown keys are mistakes."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class RowModel(Model):
    """A lens between a native place and a hub field."""

    at: str = Field(description="native place, an access path from a parameter")
    is_: str = Field(alias="is", description="hub field")
    as_: str = Field("plain", alias="as", description="codec")
    derived: bool = Field(False, description="only shows a field again: written, never read")
    optional: bool = Field(False, description="the place may be missing")
    unless_empty: bool = Field(False, description="left out where the field is empty")
    flag: str = Field("", description="second place of a codec that needs one")
    offer: Name | Literal[""] = Field("", description="name of an offer that only some servers make")


class ConstantModel(Model):
    """A native place that always holds the same value."""

    at: str
    holds: Any
    tuple_: bool = Field(False, alias="tuple")
    bytes_: bool = Field(False, alias="bytes", description="whether the text is meant as bytes; not kept on file")


class FormModel(Model):
    """One form in which a handler may answer."""

    when: str
    rows: list[RowModel] = []
    fixed: dict[str, Any] = {}
    class_: Dotted | Literal[""] = Field("", alias="class")
    default_types: list[str] = Field([], max_length=2)
    written: bool = False


class CallbackModel(Model):
    """A parameter that is called to answer."""

    name: Identifier
    arguments: list[Identifier]
    defaults: list[Identifier] = []


class EventModel(Model):
    """How an event is handed to a handler."""

    parameters: list[Identifier] = Field([], description="parameters of handlers of this kind, if not the usual ones")
    each: str = Field("", description="place of the events of a batch; rows and constants are then those of one")
    entry: Identifier = Field("entry", description="root of the places of one event of a batch")
    envelope: list[ConstantModel] = Field([], description="constants around a batch")
    constants: list[ConstantModel] = []
    rows: list[RowModel]
    classes: dict[str, Identifier] = {}


class ReplyModel(Model):
    """How a handler answers, or says that it is done."""

    root: Identifier = "reply"
    via: Literal["", "messages", "document"] = Field(
        "", description="how the answer travels: returned; as ASGI messages; as a CGI document"
    )
    callback: CallbackModel | None = None
    forms: list[FormModel]


class KindModel(Model):
    """Events of one kind, and what a handler says when it is done with one."""

    event: EventModel
    reply: ReplyModel | None = None


class HttpModel(KindModel):
    """Events and replies of the HTTP kind."""

    reply: ReplyModel | None = None


class ClientModel(Model):
    """A call by which handlers reach a service: what it does, its parameters, and how they stand for hub fields."""

    does: str = Field(description="operation of the hub, such as object.read")
    takes: list[Parameter] = Field([], description="parameters, with defaults as Python literals")
    rows: list[RowModel] = []
    gives: str = Field("plain", description="codec of what it gives back")
    absent: Literal["none", "LookupError", "KeyError", "FileNotFoundError"] = Field(
        "none", description="what happens where there is nothing to read: None is given back, or this is raised"
    )
    awaited: bool = Field(False, description="whether the call is awaited")


class MountModel(Model):
    """Services as a folder of files, for handlers that know no clients."""

    variable: Identifier = Field(description="environment variable that names the folder")
    objects: Annotated[str, Field(pattern=r"^[\w-]*$")] = Field("", description="folder of objects, as BUCKET/KEY")
    messages: Annotated[str, Field(pattern=r"^[\w-]*$")] = Field("", description="folder of messages, as CHANNEL/NAME")


class HandlerModel(Model):
    """How a handler is defined and called."""

    parameters: list[Identifier]
    event: list[Identifier] = Field(description="those parameters that are the event")
    process: Literal["function", "project"] = Field("function", description="what shares one process")
    asynchronous: bool = Field(False, description="whether handlers are coroutine functions")
    script: bool = Field(False, description="whether a handler is a file that is run, a process an event")
    octets: bool = Field(False, description="whether a script's environment holds octets, each a character here")
    mount: MountModel | None = None
    output: Identifier | Literal[""] = Field(
        "", description="where declared bindings become parameters: the method by which a handler fills an output"
    )
    entry: str = Field(
        "",
        pattern=r"^(\w+(\.\w+)*:\w+|\w+\.\w+)?$",
        description="entry of a whole project, as module:callable or a script, where functions have none",
    )
    shim: Identifier | Literal[""] = Field("", description="name of the handler in a carried shim; empty: as written")


class ClassModel(Model):
    """A class that handlers import from the provider."""

    takes: list[Parameter] = Field(description="constructor parameters, with defaults as Python literals")
    about: str = ""


class RouteModel(Model):
    """How captures are spelt in a route; `name` stands for the capture's name."""

    one: str
    rest: str


class DefinitionRow(Model):
    """A lens between a key of a definition and a field of the hub's function; without `is` it is known, not carried."""

    at: str
    is_: str = Field("", alias="is")
    as_: str = Field("plain", alias="as")
    about: str = ""


class TriggerModel(Model):
    """One kind of trigger: told by the key that it must have, or the only one."""

    kind: str
    told_by: str
    rows: list[DefinitionRow] = []


class FunctionsModel(Model):
    """Where functions stand in a definition, a mapping from name to function, and what each declares."""

    at: str
    rows: list[DefinitionRow]
    triggers_at: str
    triggers: list[TriggerModel]


class DefinitionModel(Model):
    """The file in which a project's functions are declared."""

    file: Inside
    syntax: Literal["yaml", "toml", "json"]
    name: str
    region: str = ""
    functions: FunctionsModel


class FileModel(Model):
    """A file that a carried project gets, from a template beside the profile."""

    path: Inside
    template: Annotated[str, Field(pattern=r"^[\w-]+(\.[\w-]+)*$")]
    keeps: bool = Field(False, description="the author's file of the same path, if any, is handed to the template")
    services: bool = Field(False, description="only where a handler calls services")


class LimitsModel(Model):
    """What the provider allows, as far as the HTTP slice needs it."""

    longest: float = Field(60, description="longest run of an HTTP function, in seconds")


class ProfileModel(Model):
    """One edition of one provider, whole."""

    provider: Name
    edition: int = Field(ge=1)
    title: str
    about: str
    text: str = Field("", description="what the shapes alone don't say, in Markdown, for docs/providers.md")
    standard: bool = Field(False, description="whether it is an open standard")
    format: Literal["", "cloudevents"] = Field("", description="open format whose rules its events on file keep")
    aliases: list[Name] = []
    handler: HandlerModel
    modules: dict[Dotted, dict[Identifier, ClassModel]] = {}
    decorators: dict[Dotted, list[Dotted]] = Field({}, description="what handlers are declared with, by module")
    clients: dict[Dotted, dict[Dotted, ClientModel]] = Field(
        {}, description="calls by which handlers reach services, by the module or parameter on which they are made"
    )
    context: list[RowModel] = []
    http: HttpModel | None = None
    object: KindModel | None = None
    message: KindModel | None = None
    record: KindModel | None = None
    schedule: KindModel | None = None
    signal: KindModel | None = None
    call: KindModel | None = None
    routes: RouteModel | None = None
    definition: DefinitionModel | None = None
    files: list[FileModel] = []
    limits: LimitsModel = Field(default_factory=lambda: LimitsModel(longest=60))
    notes: list[str] = Field([], description="what a person who carries a project here must know")
