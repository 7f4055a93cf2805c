"""What the keys of a definition say of a function, by the rows of a profile; what can't be carried is a finding."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any, Final

from vast_ferry.definitions.composed import Untold
from vast_ferry.definitions.declared import Declarations, Declared
from vast_ferry.definitions.forms import LANGUAGES, FormError, OtherLanguage, Wider
from vast_ferry.definitions.laid_over import MISSING, there, under
from vast_ferry.definitions.secrecy import looks_secret
from vast_ferry.definitions.tables import forms_of
from vast_ferry.documents.document import Document, Path_
from vast_ferry.hub.findings import BadInput, Place, Severity
from vast_ferry.hub.functions import (
    JAVASCRIPT,
    JAVASCRIPT_FILES,
    PYTHON,
    Entry,
    OtherFunction,
    language_of,
)
from vast_ferry.hub.standards import words_of
from vast_ferry.profiles.schema_definition import DefinitionRow, TriggerModel

#: Fields whose value a provider may well understand where we don't: a finding then, not a mistake.
KEPT_BACK: Final = {
    "key_filter": ("filter-not-carried", "Declare it by hand at the target"),
    "schedule": ("schedule-not-carried", "Declare it by hand at the target"),
    "access": ("access-not-carried", "Allow it by hand at the target"),
}
#: What to do where a trigger takes in more than it did.
WIDER: Final = "Let the handler pass over what it did not get, or narrow the trigger by hand at the target"


@dataclass(slots=True)
class RowsRead(Declarations):
    """A reading of a definition, as far as its rows go."""

    carry_values: frozenset[str] = frozenset()  # variables that are carried whatever they hold
    withheld: dict[str, None] = field(default_factory=dict)
    others: list[OtherFunction] = field(default_factory=list)
    at_top: dict[str, list[tuple[Document, Path_, dict[str, Any], list[TriggerModel]]]] = field(default_factory=dict)

    def _kept_back(self, row: DefinitionRow, error: FormError, declared: Declared, path: Path_) -> None:
        """Note a value that is not carried as it is; raises BadInput for one that is wrong."""
        place = declared.document.place(*path)
        if row.field != "secrets" and row.field not in KEPT_BACK:
            raise BadInput(f"{'.'.join(map(str, path))}: {error}", "Mend the value", place) from None
        code, remedy = KEPT_BACK.get(row.field, ("secret-value", "Put it into the vault"))
        self.note(code, Severity.BLOCKING, (str(error), remedy), place, declared.name)

    def rows(
        self, rows: list[DefinitionRow], data: dict[str, Any], declared: Declared, path: Path_, *, usual: bool = True
    ) -> dict[str, Any]:
        """Return what rows say of a mapping, by hub field; `usual`: what holds where a key is missing counts too."""
        values: dict[str, Any] = {}
        language = self._language(rows, data)
        for row in [row for row in rows if row.for_ in ("", language)]:
            said = self._part(row, rows, under(data, row.keys))
            if said is MISSING and row.usual is not None and usual:
                said = row.usual
            if said is MISSING:
                continue
            first = next((key for key in row.keys if there(data, key) is not MISSING), row.keys[0])
            at = (*path, *([first] if first in data else first.split(".")))
            place = declared.document.place(*at)
            if not row.field:
                why = f"{first!r} ({row.about}) is not carried"
                self.note("not-carried", Severity.TODO, (why, "Declare it by hand at the target"), place, declared.name)
                continue
            value = self._read(row, said, declared, at)
            if value is MISSING:
                continue
            if row.field == "entry":
                value = self.meant(value)
                if other := self.other_language(value):
                    self.other(declared, str(said), other, place)
                    continue
            if row.field == "variables":
                value, withheld = self.variables(value, declared, at)
                if withheld:
                    values["withheld"] = withheld
            values.update(value if row.field in ("route", "methods_and_route") else {row.field: value})
        return values

    def _language(self, rows: list[DefinitionRow], data: dict[str, Any]) -> str:
        """Return the language in which a function is written, where rows ask for it."""
        if not any(row.for_ for row in rows):
            return ""
        row = next((row for row in rows if row.field == "entry"), None)
        said = under(data, row.keys) if row is not None else MISSING
        if row is None or said is MISSING:
            return PYTHON
        try:
            entry = self.meant(forms_of(self.profile)[id(row)].read(said, "entry"))
        except FormError:  # which is told where the row itself is read
            return PYTHON
        return entry.language

    def _part(self, row: DefinitionRow, rows: list[DefinitionRow], said: Any) -> Any:
        """Return what is a row's of a mapping that holds variables and secrets, which are two rows of the same key."""
        beside = next((one for one in rows if one is not row and one.keys == row.keys), None)
        if beside is None or not isinstance(said, dict) or {row.field, beside.field} != {"variables", "secrets"}:
            return said
        secrets = forms_of(self.profile)[id(row if row.field == "secrets" else beside)].takes_part(said)
        return {name: one for name, one in said.items() if (name in secrets) == (row.field == "secrets")}

    def _read(self, row: DefinitionRow, said: Any, declared: Declared, at: Path_) -> Any:
        """Return the hub's value of what a definition says; MISSING, and a finding, where that is not carried."""
        place = declared.document.place(*at)
        try:
            value = forms_of(self.profile)[id(row)].read(said, row.field)
            known = words_of(row.field)
            told = [value] if isinstance(value, str) else value
            if known and (strange := [one for one in told if one not in known]):
                expected = f"one of {', '.join(known)} ({row.field}; the profile's row has no `words`)"
                raise FormError(f"expected {expected}, got {strange[0]!r}")
            return value
        except OtherLanguage as error:
            if row.field == "entry":
                self.other(declared, str(said), str(error), place)
        except Untold:  # its text tells of other fields alone
            return MISSING
        except Wider as error:
            self.note("wider-trigger", Severity.TODO, (str(error), WIDER), place, declared.name)
            return error.value
        except FormError as error:
            self._kept_back(row, error, declared, at)
        return MISSING

    def meant(self, entry: Entry) -> Entry:
        """Return an entry with the file that it means, where that is not Python: `f.js` is no `f/js.py`.

        What names a file without its ending, or as a module, may mean one of JavaScript.
        """
        if (self.folder / entry.file).exists() or not entry.file.endswith(".py"):
            return entry
        whole = entry.file.removesuffix(".py")
        stem, _, suffix = whole.rpartition("/")
        named = [f"{stem}.{suffix}"] if suffix in LANGUAGES and stem else []
        files = [*named, *(f"{whole}{ending}" for ending in JAVASCRIPT_FILES)]
        there = [file for file in files if (self.folder / file).is_file()]
        return replace(entry, file=there[0]) if len(there) == 1 else entry

    def other_language(self, entry: Entry) -> str:
        """Return the language of an entry, where it is none that is carried from here."""
        suffix = entry.file.rpartition(".")[2]
        carried = language_of(entry.file) != JAVASCRIPT or self.profile.model.javascript is not None
        return "" if suffix not in LANGUAGES or (carried and language_of(entry.file)) else LANGUAGES[suffix]

    def other(self, declared: Declared, entry: str, language: str, place: Place) -> None:
        """Tell of a function in a language that is not carried; the others go on."""
        self.others.append(OtherFunction(declared.name, entry, language, self.kept(place)))
        self.note(
            "other-language",
            Severity.BLOCKING,
            (
                f"{declared.name} is written in {language} ({entry}), which is not carried",
                "Carry it by hand, or write it in Python first; everything else goes on without it",
            ),
            place,
            declared.name,
        )

    def variables(
        self, value: dict[str, str], declared: Declared, path: Path_
    ) -> tuple[dict[str, str], tuple[str, ...]]:
        """Return variables without those that are plainly secrets, and these by name.

        Of these a finding tells, not their values.
        """
        kept, withheld = {}, []
        for name, text in value.items():
            why = looks_secret(name, text)
            if not why or name in self.carry_values:
                kept[name] = text
                continue
            withheld.append(name)
            self.withheld[text] = None
            self.note(
                "secret-in-variables",
                Severity.BLOCKING,
                (
                    f"{name} is a variable, and {why}; it was not carried",
                    "Put it into the vault, refer to it there, and make it anew: whoever reads the file knows it. "
                    f"If it is none: --carry-values {name}",
                ),
                declared.document.place(*path, name),
                declared.name,
            )
        return kept, tuple(withheld)
