"""The beginning of a profile's `definition`, from a project's definition file: what its form tells is guessed.

Functions are looked for where several mappings stand together, by name or in a list, one of which says where its code
is. Of each key the values of all functions are looked at: a form is guessed where it reads every value, and what the
profile will name is what is tried; what no form tells becomes a comment, to be written by a person.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from vast_ferry.definitions.apart import WHOLE, data_apart
from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.forms import METHOD, Form, FormError
from vast_ferry.definitions.routes import RouteStyle
from vast_ferry.definitions.schedules.rules import ScheduleError
from vast_ferry.definitions.secrecy import looks_secret
from vast_ferry.definitions.syntaxes import READERS
from vast_ferry.definitions.tables import parse_form
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.profiles.schema_definition import DefinitionRow

#: suffix of a definition file → its syntax
_SYNTAXES: Final = {".yaml": "yaml", ".yml": "yaml", ".toml": "toml", ".json": "json", ".ini": "ini", ".xml": "xml"}

#: Words in a key that say in which unit a time stands there: nothing else is guessed then.
_UNITS: Final = {"ms": {"ms", "millis", "milliseconds"}, "min": {"min", "mins", "minutes"}}
_OF_VARIABLES: Final = ("env", "environment", "variables", "vars", "settings", "config")
#: field, words in a key that say so (empty: its form is enough), and the forms that are tried, in order
_OF_FUNCTIONS: Final[tuple[tuple[str, tuple[str, ...], tuple[str, ...]], ...]] = (
    ("entry", (), ("file_entry('#')", "file_entry(':')", "file_entry(' ')", "file_entry('::')", "module_entry(':')")),
    ("entry", ("handler", "code", "call", "entry", "function"), ("module_entry('.')", "script_entry")),
    ("language", (), ()),  # by its form: see `_versions`
    (
        "memory",
        ("memory", "ram", "mem", "size"),
        ("size('MiB')", "size(' MB')", "size('GiB')", "size('M')", "number", "plain"),
    ),
    (
        "timeout",
        ("timeout", "limit", "longest", "seconds", "duration", "run", "max", "stop"),
        ("duration", "duration(iso)", "duration(clock)", "duration(words)", "number", "plain"),
    ),
    ("attempts", ("attempts", "tries", "retries", "retry"), ("number", "plain")),
    ("concurrency", ("concurrency", "parallel", "instances"), ("number", "plain")),
    (
        "variables",
        _OF_VARIABLES,
        ("plain", "settings", "assignments", "assignments(lines)"),
    ),
    ("secrets", ("secrets", "secret", "sealed", "vault"), ("names",)),
    ("dead_letter", ("dead", "failed", "lost"), ("plain",)),
)
#: Keys under which a trigger says of which sort it is.
_SORTS: Final = ("type", "kind", "sort")
#: Methods and the beginning of a route, in one text.
_ROUTED: Final = re.compile(rf"\b{METHOD.pattern}(\|[A-Z]+)* /")
_VARIABLE: Final = re.compile(r"[A-Z][A-Z0-9]*(_[A-Z0-9]+)+")
#: Spellings of a schedule that are tried.
_SCHEDULES: Final = ("cron", "cron_with_seconds", "span", "iso_span", "cron_or_phrase", "days", "rrule", "interval")
#: Of these, what may as well be another span of time: only under a key that says so.
_SPANS: Final = ("span", "iso_span", "cron_or_phrase", "interval")
_OFTEN: Final = {"every", "each", "rate", "interval", "schedule", "cron", "rings", "when"}
#: Words in the key, or of the type, of a trigger that say its kind.
_KINDS: Final[dict[str, tuple[str, ...]]] = {
    "object": ("bucket", "object", "store", "storage", "file", "files", "blob"),
    "message": ("queue", "topic", "message", "messages", "channel", "line"),
    "record": ("table", "record", "row", "rows", "database", "book"),
    "schedule": ("schedule", "cron", "clock", "timer", "every", "rate"),
    "signal": ("signal", "event", "bell", "announcement"),
    "http": ("http", "route", "path", "url", "web"),
}


@dataclass(frozen=True, slots=True)
class _Found:
    """Where functions stand, and what each of them says."""

    at: str
    named_by: str
    functions: tuple[dict[str, Any], ...]


@dataclass(slots=True)
class BegunDefinition:
    """The lines of a definition's beginning, and how many places were guessed and left."""

    lines: list[str] = field(default_factory=list)
    routes: str = ""
    guessed: int = 0
    left: int = 0


def begin_definition(file: str | Path) -> BegunDefinition:
    """Return the beginning of what a profile says of a definition file.

    Raises BadInput for a file that is none of the syntaxes that definitions have, can't be read, or has no functions.
    """
    path = Path(file)
    syntax = _SYNTAXES.get(path.suffix.lower())
    if syntax is None:
        known = ", ".join(sorted(_SYNTAXES))
        guess = "functions that code or plain lines declare are not guessed"
        why = f"{guess}: see `calls`, `code` and `lines` in docs/profiles.md"
        raise BadInput(
            f"{path.name} is no definition that can be begun from: {why}", f"Give one of {known}", Place(str(path))
        )
    data = READERS[syntax](path, str(path), "the definition").data
    found = max(_candidates(data), key=_likelihood, default=None)
    if found is None:
        what = "nothing there looks like functions: several mappings of which one says where its code is"
        raise BadInput(what, "Write `definition` by hand, by docs/profiles.md", Place(str(path)))
    top = data_apart(data, found.at, ()) if isinstance(data, dict) else {}
    return _Writing(path.name, syntax, top, found).written()


def _candidates(data: Any) -> Iterator[_Found]:
    """Yield what may be functions: mappings of mappings, and lists of mappings with a key that names them.

    They may be the whole document, stand under a key, or under a key in a key.
    """
    yield from _functions(WHOLE, data)
    for key, value in data.items() if isinstance(data, dict) else ():
        yield from _functions(str(key), value)
        for name, inner in value.items() if isinstance(value, dict) else ():
            if "." not in f"{key}{name}":
                yield from _functions(f"{key}.{name}", inner)


def _functions(at: str, value: Any) -> Iterator[_Found]:
    """Yield what stands at a place as functions, if it may be some."""
    if isinstance(value, dict):
        several = [one for one in value.values() if isinstance(one, dict)]
        if several and (at == WHOLE or len(several) == len(value)):
            yield _Found(at, "", tuple(several))
    if isinstance(value, list) and value and all(isinstance(one, dict) for one in value):
        names = [name for name in value[0] if _names_all(name, value)]
        words = ("name", "id", "function")
        named = next((one for one in names if str(one).lower() in words), names[0] if names else "")
        if named:
            yield _Found(at, str(named), tuple({k: v for k, v in one.items() if k != named} for one in value))


def _names_all(key: str, mappings: list[dict[str, Any]]) -> bool:
    """Tell whether each of some mappings has a text of its own under a key."""
    texts = [one.get(key) for one in mappings]
    return all(isinstance(text, str) for text in texts) and len(set(texts)) == len(texts)


def _likelihood(found: _Found) -> tuple[bool, int]:
    values = [value for one in found.functions for value in one.values() if isinstance(value, str)]
    return any(re.search(r"\.py\b|^\w+(\.\w+)+[:#.]\w+$", value) for value in values), len(found.functions)


class _Writing:
    """Puts the lines of one definition together."""

    def __init__(self, file: str, syntax: str, top: dict[str, Any], found: _Found) -> None:
        self.file, self.syntax, self.top, self.found = file, syntax, top, found
        self.made = BegunDefinition()
        self.style = RouteStyle()

    def written(self) -> BegunDefinition:
        lines = self.made.lines
        lines += ["", f"# from {_plain(self.file)}", "definition:", f"  file: {json.dumps(self.file)}"]
        lines += [f"  syntax: {self.syntax}"]
        for key, value in self.top.items():
            if key == self.found.at:
                continue
            if isinstance(value, str) and not any(line.startswith("  name:") for line in lines):
                lines.append(f"  name: {json.dumps(str(key))}  # guess: {_shown(value, str(key))}")
                self.made.guessed += 1
            else:
                lines.append(f"  # {_plain(str(key))}: {_shown(value, str(key))}")
                self.made.left += 1
        lines += ["  functions:", f"    at: {json.dumps(self.found.at)}"]
        if self.found.named_by:
            lines.append(f"    named_by: {json.dumps(self.found.named_by)}")
        triggers = self._triggers_at()
        self._style(triggers)
        lines.append("    rows:")
        rows = list(self._rows(triggers))
        if not any(", is: entry" in row for row in rows):
            rows.append(
                "      - {at: code, is: entry, as: \"file_entry('#')\"}  # guess: no key says where the code is"
            )
        lines += rows
        self._triggers(triggers)
        return self.made

    # --- a function ---

    def _rows(self, triggers: str) -> Iterator[str]:
        keys = [key for key in _keys(self.found.functions) if key != triggers]
        yield from self._guessed(keys, self.found.functions, self._guesses, 6)

    def _guessed(
        self,
        keys: Iterable[str],
        several: Sequence[dict[str, Any]],
        guesses: Callable[[str, list[Any]], Iterator[tuple[str, str]]],
        indent: int,
    ) -> Iterator[str]:
        """Yield a row for each key: the first guess of what is not taken yet, or a place that is left to the author."""
        taken: set[str] = set()
        for key in keys:
            values = [one[key] for one in several if key in one]
            said = next((one for one in guesses(key, values) if one[0] not in taken), None)
            if said is None:
                self.made.left += 1
                yield f"{' ' * indent}# - {{at: {json.dumps(key)}, is: }}  # {_shown(values[0], key)}"
                continue
            taken.add(said[0])
            yield self._row(key, said, values[0], indent)

    def _guesses(self, key: str, values: list[Any]) -> Iterator[tuple[str, str]]:
        words = set(_words(key))
        for name, known, forms in _OF_FUNCTIONS:
            if known and not words & set(known):
                continue
            more = _FROM_VALUES[name](values) if name in _FROM_VALUES else ()
            units = [unit for unit, said in _UNITS.items() if name == "timeout" and words & said]
            for form in [f"span({unit})" for unit in units] or (*more, *forms):
                if _reads_all(form, name, values, self.style):
                    yield name, form
                    break

    def _row(self, key: str, said: tuple[str, str], value: Any, indent: int) -> str:
        self.made.guessed += 1
        form = f", as: {json.dumps(said[1])}" if said[1] != "plain" and said[1] != said[0] else ""
        return f"{' ' * indent}- {{at: {json.dumps(key)}, is: {said[0]}{form}}}  # guess: {_shown(value, key)}"

    # --- its triggers ---

    def _triggers_at(self) -> str:
        """Return the key under which functions have lists, or mappings, of mappings: their triggers."""
        for key in _keys(self.found.functions):
            values = [one[key] for one in self.found.functions if key in one]
            if all(_listed(value) for value in values) and not set(_words(key)) & set(_OF_VARIABLES):
                entries = [entry for value in values for entry in (_listed(value) or [])]
                if not _names_variables(entries):
                    return key
        return ""

    def _style(self, triggers: str) -> None:
        """Guess how captures are spelt, from the texts that look like routes."""
        texts = [
            text for one in self._entries(triggers) for text in one.values() if isinstance(text, str) and "/" in text
        ]
        spelt = (
            (r"\{\w+\}", "{name}", "{name*}"),
            (r"<\w+>", "<name>", "<name..>"),
            (r"/:\w+", ":name", "*name"),
            (r"\(\w+\)", "(name)", "(name+)"),
        )
        for form, one, rest in spelt:
            if any(re.search(form, text) for text in texts):
                self.style = RouteStyle(one, rest)
                self.made.routes = f"routes: {{one: {json.dumps(one)}, rest: {json.dumps(rest)}}}  # guess"
                return

    def _entries(self, triggers: str) -> list[dict[str, Any]]:
        held = [one[triggers] for one in self.found.functions if triggers and triggers in one]
        return [entry for value in held for entry in (_listed(value) or [])]

    def _triggers(self, triggers: str) -> None:
        lines, entries = self.made.lines, self._entries(triggers)
        if not entries and self._texts():
            return
        if not entries:
            lines += ["    triggers: []  # how functions are triggered could not be guessed"]
            self.made.left += 1
            return
        values = [one[triggers] for one in self.found.functions if triggers in one]
        lines.append(f"    triggers_at: {json.dumps(triggers)}  # guess")
        if not isinstance(values[0], list):
            alone = any(not isinstance(inner, dict) for inner in values[0].values())
            lines.append(f"    triggers_are: {'one' if alone else 'by_name'}  # guess")
        lines.append("    triggers:")
        seen: set[str] = set()
        for told, plain in _apart(entries):
            several = [_flat(one) for one in plain]
            kind = self._kind(told, several)
            shown = (
                json.dumps(told)
                if isinstance(told, str)
                else f"{{{', '.join(f'{json.dumps(k)}: {json.dumps(v)}' for k, v in told.items())}}}"
            )
            rows = list(self._of_trigger(kind or "message", told, several))
            if kind == "http" and not any("route" in row for row in rows):
                lines.append(f"      # a trigger told by {shown} has no key that looks like a route")
                self.made.left += 1
                continue
            if shown in seen:
                continue
            seen.add(shown)
            said = "guess" if kind else "nothing says which kind it is: mend it"
            lines.append(f"      - kind: {kind or 'message'}  # {said}")
            lines.append(f"        told_by: {shown}")
            lines += ["        rows:", *rows] if any("- {at" in row and "# -" not in row for row in rows) else rows
        if lines[-1] == "    triggers:":
            lines[-1] = "    triggers: []"

    def _texts(self) -> bool:
        """Guess triggers that are each one text, whose first word says of which sort it is; tell whether any are."""
        for key in _keys(self.found.functions):
            values = [one[key] for one in self.found.functions if key in one]
            texts = [text for value in values for text in (value if isinstance(value, list) else [value])]
            words = [text.partition(" ") for text in texts if isinstance(text, str) and " " in text]
            routed = any(_ROUTED.search(text) for text in map(str, texts))
            if not routed or len(words) != len(texts):
                continue
            lines = self.made.lines
            lines += [
                f"    triggers_at: {json.dumps(key)}  # guess",
                "    triggers_text: said  # guess",
                "    triggers:",
            ]
            for word in dict.fromkeys(first for first, _, _ in words):
                rest = [behind for first, _, behind in words if first == word]
                kind, holds = self._of_text(word, rest)
                said = "guess" if kind else "nothing says which kind it is: mend it"
                lines.append(f"      - kind: {kind or 'message'}  # {said}: {_shown(f'{word} {rest[0]}', key)}")
                lines.append(f"        told_by: {{said: {json.dumps(f'{word} *')}}}")
                lines.append(f"        rows: [{{at: said, is: {json.dumps(f'{word} {holds}')}}}]")
                self.made.guessed += 1
            return True
        return False

    def _of_text(self, word: str, rest: list[str]) -> tuple[str, str]:
        """Return the kind of a trigger that is one text, and what stands behind its first word."""
        if all(_ROUTED.match(text) for text in rest):
            return "http", "{methods_and_route}"
        for name in _SCHEDULES:
            if name not in _SPANS and _reads_all(f"schedule({name})", "schedule", rest, self.style):
                return "schedule", f"{{schedule | schedule({name})}}"
        found = [kind for kind, known in _KINDS.items() if set(_words(word)) & set(known) and kind != "http"]
        return (found[0] if found else ""), "{source}"

    def _kind(self, told: str | dict[str, Any], several: list[dict[str, Any]]) -> str:
        word = told if isinstance(told, str) else str(next(iter(told.values())))
        told_of = [(key, text) for one in several for key, text in one.items() if isinstance(text, str)]
        texts = [text for _, text in told_of]
        if any(re.match(rf"({METHOD.pattern}(\|[A-Z]+)* )?/", text) for text in texts):
            return "http"
        words = {one for text in (word, *several[0]) for one in _words(text.partition(".")[0])} | set(_words(word))
        found = [kind for kind, known in _KINDS.items() if words & set(known)]
        if found:
            return found[0]
        for key, text in told_of:
            forms = [f"schedule({name})" for name in _spellings(set(_words(key.rpartition(".")[2])))]
            if any(_reads_all(form, "schedule", [text], self.style) for form in forms):
                return "schedule"
        keys = {word for one in several for key in one for word in _words(key)}
        return next((kind for kind, known in _KINDS.items() if keys & set(known)), "")

    def _of_trigger(self, kind: str, told: str | dict[str, Any], several: list[dict[str, Any]]) -> Iterator[str]:
        keys = [key for key in _keys(tuple(several)) if isinstance(told, str) or key not in told]
        yield from self._guessed(keys, several, lambda key, values: self._trigger_guesses(kind, key, told, values), 10)

    def _trigger_guesses(
        self, kind: str, key: str, told: str | dict[str, Any], values: list[Any]
    ) -> Iterator[tuple[str, str]]:
        words = set(_words(key.rpartition(".")[2]))
        tried: list[tuple[str, str]] = []
        if kind == "http":
            tried += [("methods_and_route", "methods_and_route"), ("route", "route")]
            tried += [("methods", "methods")] if words & {"method", "methods", "verb", "verbs"} else []
        if kind == "schedule":
            tried += [("schedule", f"schedule({name})") for name in _spellings(words)]
            tried += [("zone", "plain")] if words & {"zone", "timezone", "tz"} else []
        if kind == "object":
            tried += [("prefix", "plain")] if words & {"prefix", "begins", "starts"} else []
            tried += [("suffix", "plain")] if words & {"suffix", "ends"} else []
            tried += (
                [("key_filter", "key_filter(glob)")] if words & {"keys", "glob", "pattern", "filter", "match"} else []
            )
        if kind in ("message", "record"):
            tried += [("batch_size", "plain")] if words & {"size", "batch", "most", "count"} else []
            tried += [("batch_window", "duration"), ("batch_window", "plain")] if words & {"wait", "window"} else []
        if kind != "http" and (key == told or words & {"name", "source", "of", *_KINDS.get(kind, ())}):
            tried.append(("source", "plain"))
        for name, form in tried:
            if _reads_all(form, name, values, self.style):
                yield name, form


def _spellings(words: set[str]) -> list[str]:
    """Return the spellings of schedules that a value may have under a key of these words."""
    return [name for name in _SCHEDULES if name not in _SPANS or words & _OFTEN]


def _reads_all(form: str, name: str, values: list[Any], style: RouteStyle) -> bool:
    """Tell whether a form reads every value, and (of those that can be written) writes them as they were."""
    made: Form = parse_form(DefinitionRow.model_validate({"at": "x", "is": name, "as": form}), style)
    try:
        read = [made.read(value, name) for value in values]
        if name in ("entry", "memory", "timeout"):
            return all(made.write(one) == value for one, value in zip(read, values, strict=True))
    except (FormError, ScheduleError, CannotHold, ValueError, TypeError, KeyError, AttributeError):
        return False
    return bool(read)


def _apart(entries: list[dict[str, Any]]) -> Iterator[tuple[str | dict[str, Any], list[dict[str, Any]]]]:
    """Yield triggers of one sort each, and what tells them: a key with a word of its own, or a key that others lack."""
    for key in _keys(tuple(entries)):
        words = [one.get(key) for one in entries]
        if str(key).lower() in (*_SORTS, "on") and all(isinstance(word, str) for word in words):
            for word in dict.fromkeys(words):
                yield {key: word}, [one for one in entries if one[key] == word]
            return
    rest = list(entries)
    while rest:
        first = rest[0]
        told = next((key for key in first if not any(key in one and set(one) != set(first) for one in rest)), "")
        told = told or next(iter(first), "")
        if not told:
            rest = rest[1:]
            continue
        same = [one for one in rest if told in one]
        yield str(told), same
        rest = [one for one in rest if told not in one]


def _pair(told: dict[str, Any]) -> str:
    return ", ".join(f"{json.dumps(key)}: {json.dumps(word)}" for key, word in told.items())


def _flat(entry: dict[str, Any]) -> dict[str, Any]:
    """Return a mapping with the keys of mappings in it set apart by dots, one level deep."""
    made: dict[str, Any] = {}
    for key, value in entry.items():
        inner = value if isinstance(value, dict) else None
        made |= {f"{key}.{name}": one for name, one in inner.items()} if inner else {key: value}
    return made


def _listed(value: Any) -> list[dict[str, Any]] | None:
    """Return the mappings of a list, of a mapping by name, or one alone; nothing where a value is none of these."""
    if isinstance(value, list):
        return value if value and all(isinstance(one, dict) for one in value) else None
    if not isinstance(value, dict) or not value:
        return None
    if any(str(key).lower() in _SORTS and isinstance(said, str) for key, said in value.items()):
        return [value]
    inner = list(value.values())
    return inner if all(isinstance(one, dict) for one in inner) else None


def _names_variables(entries: list[dict[str, Any]]) -> bool:
    """Tell whether each of some mappings has a name as variables have them under the same key."""
    named = [
        {key for key, one in entry.items() if isinstance(one, str) and _VARIABLE.fullmatch(one)} for entry in entries
    ]
    keys = [key for entry in entries for key in entry if len(entry) == 1]
    alone = len(keys) == len(entries) and all(str(key).isupper() for key in keys)
    return bool(named) and (bool(set.intersection(*named)) or alone)


def _versions(values: list[Any]) -> Iterator[str]:
    """Yield the form of versions of Python, where all values are such, perhaps behind the same word."""
    found = [
        re.fullmatch(r"([A-Za-z-]{0,12})(3\.\d{1,2})", value) if isinstance(value, str) else None for value in values
    ]
    words = {one[1] if one else None for one in found}
    if len(words) == 1 and None not in words:
        word = words.pop()
        yield f"prefixed({word!r})" if word else "plain"


def _listed_pairs(values: list[Any]) -> Iterator[str]:
    """Yield the form of names and values as a list of mappings, where all values are such lists."""
    entries: list[Any] = [one for value in values for one in (value if isinstance(value, list) else [None])]
    if entries and all(isinstance(one, list) and len(one) == 2 and isinstance(one[0], str) for one in entries):
        yield "pairs | texts"
    if entries and all(isinstance(one, dict) for one in entries):
        usual = Counter(tuple(map(str, one)) for one in entries if isinstance(one, dict) and len(one) == 2)
        if usual:
            name, value = usual.most_common(1)[0][0]
            yield f"entries({name!r}, {value!r})"


def _separated(values: list[Any]) -> Iterator[str]:
    """Yield the form of files with a name in each, where the same stands between the two in all values."""
    found = [re.fullmatch(r"[\w./-]+\.(?:py|mjs|cjs|js|ts)(\W{1,4})\w+", one) for one in values if isinstance(one, str)]
    marks = {one[1] if one else None for one in found}
    if found and len(marks) == 1 and None not in marks:
        yield f"file_entry({marks.pop()!r})"


def _references(values: list[Any]) -> Iterator[str]:
    """Yield the form of secrets by reference, where several begin alike, up to a mark: one alone may be a value."""
    texts = [one for value in values if isinstance(value, dict) for one in value.values() if isinstance(one, str)]
    begins = {found[0] for text in texts if (found := re.match(r"[A-Za-z0-9_-]+(?:://|:|/)", text))}
    if len({*texts}) > 1 and len(begins) == 1 and all(text.startswith(next(iter(begins))) for text in texts):
        yield f"reference({next(iter(begins))!r})"


#: What forms of some fields are made of: their values.
_FROM_VALUES: Final[dict[str, Callable[[list[Any]], Iterator[str]]]] = {
    "entry": _separated,
    "variables": _listed_pairs,
    "language": _versions,
    "secrets": _references,
}


def _keys(mappings: tuple[dict[str, Any], ...]) -> list[str]:
    return list(dict.fromkeys(str(key) for one in mappings for key in one))


def _words(key: str) -> list[str]:
    return [word.lower() for word in re.findall(r"[A-Z]?[a-z0-9]+|[A-Z]+", str(key))]


def _plain(text: str) -> str:
    return "".join(sign if sign.isprintable() else "·" for sign in text)


def _shown(value: Any, key: str) -> str:
    """Return a value as a comment shows it: short, on its line; of a mapping its keys, and no secret."""
    if isinstance(value, str) and looks_secret(key, value):
        return "a text that looks like a secret"
    if isinstance(value, dict):
        return _plain("a mapping of " + ", ".join(map(str, list(value)[:5])))
    if isinstance(value, list):
        return f"a list of {len(value)}"
    text = _plain(json.dumps(value, ensure_ascii=False, default=str))
    return text if len(text) <= 60 else f"{text[:59]}…"
