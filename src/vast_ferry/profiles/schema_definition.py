"""The part of a profile's schema that says how functions are declared: a definition's files, rows and triggers."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, PrivateAttr, model_validator

from vast_ferry.profiles.schema_texts import Dotted, Identifier, Inside, Model, name_of_function


class DefinitionRow(Model):
    """A lens between a key of a definition and a field of the hub's function; without `is` it is known, not carried."""

    at: str | Annotated[list[str], Field(min_length=1)] = Field(
        description="key, or keys set apart by dots; or several of these, of which `as` makes one text"
    )
    is_: str | list[str] = Field(
        "",
        alias="is",
        description="field of the hub's function, or a text with it in braces, or several such texts; without it the "
        "key is known, and not carried",
    )
    as_: str = Field("plain", alias="as", description="form, perhaps behind lenses")
    words: dict[str | int | bool, str | int | float] = Field(
        {}, description="the provider's words or sentences, each for one of the hub's"
    )
    usual: str | int | float | bool | None = Field(None, description="what holds where the key is missing")
    about: str = Field("", description="what a key that is not carried is about, as findings say it")
    for_: Literal["", "python", "javascript"] = Field(
        "", alias="for", description="language of the functions that it is for; without it, of every function"
    )

    _number: int = PrivateAttr(-1)
    _part: int = PrivateAttr(-1)

    @property
    def number(self) -> int:
        """Return as which of the rows it stands in the profile."""
        return self._number

    @property
    def part(self) -> int:
        """Return which part of its text it is for, where that holds several fields; else -1."""
        return self._part

    @property
    def keys(self) -> tuple[str, ...]:
        """Return the key, or the keys, under which it stands."""
        return (self.at,) if isinstance(self.at, str) else tuple(self.at)

    @property
    def texts(self) -> tuple[str, ...]:
        """Return the texts in which the field stands; none where the value is the field itself."""
        if isinstance(self.is_, str):
            return (self.is_,) if "{" in self.is_ else ()
        return tuple(self.is_)

    @property
    def field(self) -> str:
        """Return the field that it feeds, empty where it is not carried."""
        if isinstance(self.is_, str) and not self.texts:
            return self.is_
        named = [re.findall(r"\{\s*([a-z][a-z_]*)", text) for text in self.texts]
        return named[0][max(self._part, 0)] if named and named[0] else ""


def _each_part(rows: list[DefinitionRow]) -> None:
    """Put a row for each field in the place of one whose text holds several: `'{memory}/{timeout}'`."""
    made = []
    for number, row in enumerate(rows):
        several = len(re.findall(r"\{\s*[a-z]", row.is_)) if isinstance(row.is_, str) else 0
        for part in range(several) if several > 1 else (-1,):
            own = row.model_copy()
            own._number, own._part = number, part
            made.append(own)
    rows[:] = made


class ReferencesModel(Model):
    """Texts of a definition that name what stands elsewhere in it."""

    written: Annotated[str, Field(pattern=r"^[^{]+\{name\}[^}]*$")] = Field(description="how one looks: `[[{name}]]`")
    names: dict[str, str] = Field(
        description="a name, or a beginning and `*`, → the key at the top that it stands for (`words.*`); or "
        "`variables.*`, those of the function, `function`, its name, or `stage`"
    )


class TriggerModel(Model):
    """One kind of trigger, or of declared input or output: told by the key that it must have."""

    kind: str = Field(description="kind of event")
    told_by: str | Annotated[dict[str, str | int | bool], Field(min_length=1, max_length=1)] = Field(
        description="key that only such a trigger has; or a key and what it holds there, such as {type: queue}, or "
        "begins with: {said: 'http *'}"
    )
    fixed: dict[Literal["methods", "changes", "callers"], str | list[str]] = Field(
        {}, description="what such a trigger always means, such as methods: [GET]"
    )
    way: Literal["event", "in", "out"] = Field("event", description="what triggers; what is read; what is written")
    decorator: Dotted | Literal[""] = Field("", description="the decorator that declares it, where `told_by` is none")
    rows: list[DefinitionRow] = Field([], description="what the keys of the trigger mean")

    @model_validator(mode="after")
    def _in_parts(self) -> TriggerModel:
        _each_part(self.rows)
        return self

    @property
    def key(self) -> str:
        """Return the key by which it is told."""
        return self.told_by if isinstance(self.told_by, str) else next(iter(self.told_by))

    @property
    def word(self) -> Any:
        """Return what stands under that key; nothing where it may be anything."""
        return None if isinstance(self.told_by, str) else self.told_by[self.key]

    @property
    def beginning(self) -> str | None:
        """Return what a text under that key begins with; nothing where a word tells it, or the key alone."""
        return self.word[:-1] if isinstance(self.word, str) and self.word.endswith("*") else None

    def is_told_by(self, held: Any) -> bool:
        """Tell whether what stands under that key tells of such a trigger."""
        if self.beginning is not None:
            return isinstance(held, str) and held.startswith(self.beginning)
        return self.word in (None, held)


class ElsewhereModel(Model):
    """Triggers that stand at the top of a definition, each naming its function."""

    at: str = Field(description="key at the top: a list of triggers, or a mapping; `.` where they are the whole file")
    file: Inside | Literal[""] = Field("", description="the file in which they stand, if not the definition's own")
    function: str = Field(description="key of the function's name in each; in a mapping that may be all there is")
    keyed: str | list[str] = Field(
        "",
        description="of a mapping: the key that its keys have in the triggers' rows; of mappings in a mapping several, "
        "such as [route, method]",
    )
    triggers: list[TriggerModel] = Field(description="the kinds of trigger")

    @property
    def keys(self) -> list[str]:
        """Return the keys that the keys of mappings have in the rows, from the outermost; none for a list."""
        return [self.keyed] if self.keyed and isinstance(self.keyed, str) else list(self.keyed)


class CodeModel(Model):
    """Functions declared by decorators in the code: which, and the names of their positional arguments."""

    module: Dotted = Field(description="module from which the decorators are imported")
    settings: Dotted = Field(description="the decorator that says of a function what is not a trigger")
    decorators: dict[Dotted, list[Identifier]] = Field(description="decorator → names of its positional arguments")
    file: Inside = Field(description="file that a carried project's declarations are written to")

    @model_validator(mode="before")
    @classmethod
    def _settings_is_one(cls, told: Any) -> Any:
        """Count the decorator that says what is not a trigger among the decorators, where it is named there or not."""
        if (
            isinstance(told, dict)
            and isinstance(told.get("decorators"), dict)
            and isinstance(told.get("settings"), str)
        ):
            return {**told, "decorators": {told["settings"]: [], **told["decorators"]}}
        return told


class CallsModel(Model):
    """Functions declared by calls on an object in one file of code: each call hands a handler over."""

    file: Inside = Field(description="the file that holds the calls")
    module: Dotted = Field(description="module that has the object's class")
    object: Identifier = Field(description="the class; what an object is made with is the project's name")
    calls: dict[Identifier, list[Identifier]] = Field(description="method → names of its positional arguments")
    handler: Identifier = Field(description="the argument that is the handler")
    named: Identifier = Field("name", description="the argument that is the function's name")
    usual_name: Annotated[str, AfterValidator(name_of_function)] = Field(
        "{function}", description="its name where none is given, of `{module}` and `{function}`"
    )


class CommentsModel(Model):
    """Functions declared by comments right above them, whose text is YAML."""

    mark: Annotated[str, Field(pattern=r"^#\S*$")] = Field(description="what such a comment begins with: `#:`")
    file: Inside = Field(description="file that a carried project's declarations are written to")


class ByPathModel(Model):
    """Functions that are told by where their files lie, and by the names of their handlers in them."""

    files: Annotated[str, Field(pattern=r"^[\w-]+(/[^{}/\\]*(\{[a-z_]\w*(\.\.\.)?\}[^{}/\\]*)*)+$")] = Field(
        description="their paths, without endings: `ways/{way...}`, `lanes/{lane}`; each name is a key of the function"
    )
    handlers: Annotated[list[Identifier], Field(min_length=1)] = Field(
        description="names of handlers in such a file; where there are several, which it is, is the key `does`"
    )
    index: str = Field("", pattern=r"^\w*$", description="name of a file that stands for its folder")
    says: Identifier | Literal[""] = Field(
        "", description="name of a constant at the file's top, a mapping whose keys are keys of the function"
    )


class FunctionsModel(Model):
    """Where functions stand in a definition, and what each declares.

    They stand under `at`, a mapping from name to function, or a list of functions that are `named_by` a key; also in
    files that are listed under `more`; or each in a file of `files`, named by it; or in `code`.
    """

    at: str = Field(
        "", description="key under which the functions stand, `a.b` in another; `.` where they are the whole file"
    )
    named_by: str = Field("", description="where functions are a list: the key of a function's name")
    usual_name: Annotated[str, Field(pattern=r"^[^{}]*(\{\w+\}[^{}]*)*$")] = Field(
        "", description="where functions have no names: what they are known by, of their keys, such as `{file}_{does}`"
    )
    usual: str = Field("", description="key at the top of what holds for each function that does not say otherwise")
    bases: str = Field("", description="key at the top of bases whose keys functions take over")
    bases_named_by: str = Field("", description="where bases are a list: the key of a base's name")
    like: str = Field("", description="key by which a function, or a base, names the base that it takes over")
    merged_by: dict[str, str] = Field(
        {}, description="keys whose value is a list that is put together entry by entry → the key of an entry's name"
    )
    root: str = Field("", description="in XML: the name of a function's element")
    more: str = Field("", description="key at the top that lists further files, of the same syntax, with functions")
    files: str = Field(
        "",
        pattern=r"^([\w-]+(/[\w-]+)*/\*(\.[a-z]+|/[\w-]+\.[a-z]+))?$",
        description="a file each, named by it, or in a folder named by it: wiring/*.json, units/*/unit.xml",
    )
    code: CodeModel | None = Field(None, description="functions are declared by decorators in Python files")
    calls: CallsModel | None = Field(None, description="functions are declared by calls in Python files")
    comments: CommentsModel | None = Field(None, description="functions are declared by comments in Python files")
    by_path: list[ByPathModel] = Field([], description="functions are told by where their files lie")
    patterns: bool = Field(
        False, description="whether keys of `at` are patterns (`*` is any text): all that fit hold, the longest most"
    )
    shared: list[str] = Field([], description="keys at the top that hold for each function under the same key")
    rows: list[DefinitionRow] = Field(description="what the keys of a function mean")
    triggers_at: str = Field(
        "", description="key of a function under which its triggers stand; decorators in code need none"
    )
    triggers_are: Literal["listed", "one", "by_name"] = Field(
        "listed", description="how they stand there: a list, one alone, or each under a name of its own"
    )
    triggers_text: str = Field(
        "",
        pattern=r"^[a-z_]*$",
        description="for triggers that are each one text, such as `http GET /x`: the name by which their rows ask for "
        "it",
    )
    triggers: list[TriggerModel] = Field(description="the kinds of trigger")
    elsewhere: list[ElsewhereModel] = Field([], description="triggers at the top, each naming its function")

    @model_validator(mode="before")
    @classmethod
    def _in_code_under_any_key(cls, told: Any) -> Any:
        """Give the triggers of decorators, which stand under no key, one to stand under once they are read."""
        if isinstance(told, dict) and told.get("code") and not told.get("triggers_at"):
            return {**told, "triggers_at": "decorators"}
        return told

    @model_validator(mode="after")
    def _in_parts(self) -> FunctionsModel:
        _each_part(self.rows)
        return self

    @model_validator(mode="after")
    def _stand_somewhere(self) -> FunctionsModel:
        if not (self.at or self.files or self.code or self.calls or self.comments or self.by_path):
            raise ValueError("must say where functions stand: at, files, code, calls, comments or by_path")
        others: dict[str, Any] = {
            "at": self.at,
            "files": self.files,
            "code": self.code,
            "triggers_at": self.triggers_at,
        }
        others |= {"calls": self.calls, "comments": self.comments}  # of which each is a place of its own
        if self.by_path and (other := next((name for name, one in others.items() if one), "")):
            raise ValueError(f"where functions are told by_path, there is no `{other}`")
        return self

    @property
    def in_code(self) -> bool:
        """Tell whether functions are declared where their handlers stand, so that no row says where that is."""
        return bool(self.code or self.calls or self.comments or self.by_path)

    @property
    def every_trigger(self) -> list[TriggerModel]:
        """Return the kinds of trigger, those at the top as well."""
        return [*self.triggers, *(one for where in self.elsewhere for one in where.triggers)]


class LineModel(Model):
    """What one kind of line says, in a definition of plain lines."""

    says: str = Field(
        min_length=1,
        description="the line, with names in braces; `{name...}` takes all that is left of it, `{=}` any number of "
        "`key=value`, `[ ]` may be missing; `{{`, `[[` and their like stand for themselves",
    )
    under: str = Field(
        "", description="the list that it is an entry of; without it, its names are keys of the mapping around it"
    )
    lines: list[LineModel] = Field([], description="lines of the block that it opens, indented below it")
    ends: str = Field("", description="the line that ends its block, where lines are not indented to say so")


class StagesModel(Model):
    """Where stages stand: name → functions' overlays under `at`, and the list of functions that it has.

    Or as a whole definition laid over the other: under `at`, or in `files`; or in each function, `inside` it.
    """

    at: str = Field("", description="key under which the stages stand")
    functions: str = Field("", description="key of the mapping from a function to what differs there")
    whole: bool = Field(False, description="whether what stands under `at` is laid over the whole definition")
    files: str = Field("", pattern=r"^([\w-]+\.\*\.[a-z]+)?$", description="a file each, such as app.*.yaml")
    inside: str = Field("", description="key of a function that lists what differs in a stage")
    named_by: str = Field("", description="where they are listed: the key of a stage's name")
    only: str = Field("", description="key of the list of functions that a stage has")


class DefinitionModel(Model):
    """The file in which a project's functions are declared."""

    file: Inside = Field(description="name of the file that declares a project")
    syntax: Literal["yaml", "toml", "json", "ini", "xml", "lines"] = Field(
        description="in which syntax it is written; `lines` are plain lines of a form of their own"
    )
    lines: list[LineModel] = Field(
        [], description="where it is plain lines: what each kind of line says, tried in turn"
    )
    comment: str = Field("#", min_length=1, description="where it is plain lines: what a comment begins with")
    root: str = Field("", description="in XML: the name of the document's element")
    name: str = Field("", description="key of the project's name; its folder's name where there is none")
    region: str = Field("", description="key of the region")
    references: ReferencesModel | None = Field(None, description="how texts name what stands elsewhere")
    functions: FunctionsModel = Field(description="where functions stand, and what their keys mean")
    stages: StagesModel | None = Field(None, description="how stages say what differs")

    @model_validator(mode="after")
    def _lines_have_forms(self) -> DefinitionModel:
        if (self.syntax == "lines") != bool(self.lines):
            raise ValueError("a definition of plain lines says under `lines` what each says, and no other has `lines`")
        return self

    @model_validator(mode="after")
    def _a_list_alone(self) -> DefinitionModel:
        functions = self.functions
        if functions.at != "." or not functions.named_by:
            return self
        if self.syntax not in ("yaml", "json"):
            raise ValueError(f"a {self.syntax} file can't be a list")
        apart = [self.name, self.region, functions.usual, functions.bases, functions.more, *functions.shared]
        apart += [one.at for one in functions.elsewhere if not one.file] + [self.stages.at if self.stages else ""]
        if other := next((key for key in apart if key), ""):
            raise ValueError(f"the whole file is a list of functions, which leaves no place for the key {other!r}")
        return self
