"""What lies in files made samples of a project's functions: each goes to the function whose trigger takes it."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import re
import tempfile
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Final

from vast_ferry.collecting.archive import archived_requests, is_archive
from vast_ferry.collecting.curl import curl_requests
from vast_ferry.collecting.described import described_requests, is_description
from vast_ferry.collecting.found import Found, message_of
from vast_ferry.collecting.log_lines import LogRead, logged_events
from vast_ferry.collecting.redacting import Forms, Redactor
from vast_ferry.definitions.project import read_project
from vast_ferry.definitions.tables import route_style
from vast_ferry.documents.document import read_file
from vast_ferry.documents.yaml_file import parse_yaml, write_yaml
from vast_ferry.events.editions import find_edition
from vast_ferry.events.event_message import carries_events, read_message
from vast_ferry.events.http_message import read_request
from vast_ferry.events.native import read_events
from vast_ferry.events.recognising import is_event
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest
from vast_ferry.hub.functions import Project
from vast_ferry.hub.http import HttpEvent
from vast_ferry.hub.kinds import REQUEST
from vast_ferry.mapping.helpers import file_bytes
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles
from vast_ferry.samples.readable import held_before
from vast_ferry.samples.store import FOLDER
from vast_ferry.standins.gateway import Gateway, takes

LARGEST: Final = 1024 * 1024 * 1024
_REQUEST_LINE: Final = re.compile(rb"[A-Z]+ \S+ HTTP/1\.[01]\r?\n")
_MOST_TOLD: Final = 5
_NOT_OURS: Final = "Nothing, if it is not the project's"


@dataclass(frozen=True, slots=True)
class Collected:
    """One sample to be kept: for which function, under which name, its content, and where it was found."""

    function: str
    name: str
    content: bytes
    place: Place


@dataclass(slots=True)
class Collection:
    """What was found: samples that are new, how many were there already, and what a person must know."""

    folder: Path
    samples: list[Collected] = field(default_factory=list)
    known: int = 0  # equal to one that is kept already, or to one before
    untaken: int = 0  # no function takes them
    findings: list[Finding] = field(default_factory=list)


def collect(
    project: Path | str,
    files: Sequence[Path | str],
    *,
    source: str | Profile | None = None,
    function: str = "",
    redact: Sequence[str] = (),
    given: bytes | None = None,
) -> Collection:
    """Return the samples that lie in files, of a project's functions; nothing is written.

    Files hold curl command lines, an HTTP archive (HAR 1.2), a raw HTTP request, CloudEvents in any mode, log lines
    with events in them, or an OpenAPI description; `given` is what the file `-` holds. `source` names the project's
    provider where several may be meant. `function` is the one that all are for. Values of fields that are called as
    `redact` says are made up. Raises BadInput, with file and line, for what is none of these or what no function takes.
    """
    folder = Path(project)
    profile = source if isinstance(source, Profile) else find_edition(folder, source)
    known, declared = read_project(folder, profile)
    names = [one.name for one in declared.functions]
    if function and function not in names:
        raise BadInput(f"there is no function {function!r}{nearest(function, names)}", f"There are: {', '.join(names)}")
    collector = _Collector(known, declared, folder, function, Redactor(redact))
    for file in files:
        standard_input = str(file) == "-"
        shown = "standard input" if standard_input else str(file)
        data = (given or b"") if standard_input else read_file(Path(file), shown, "the file", LARGEST)
        beside = None if standard_input else Path(file).parent
        collector.take(list(_found_in(data, shown, beside, collector)), shown)
    return collector.done()


class Keeper:
    """Keeps what comes in while a project runs, as samples of its functions: each once, without what is private."""

    def __init__(self, profile: Profile, project: Project, folder: Path, redact: Sequence[str] = ()) -> None:
        self._collector = _Collector(profile, project, folder, "", Redactor(redact))

    def keep(self, what: HttpEvent | Any, before: Mapping[str, Any]) -> list[Path]:
        """Write a request, or a native event, with what services held before; return the files that are new.

        What no function takes is not kept. Raises BadInput where the folder can't be written into.
        """
        found = Found(Place(), what) if isinstance(what, HttpEvent) else Found(Place(), native=what)
        made = self._collector.made = Collection(self._collector.made.folder)
        self._collector.before = {name: held for name, held in before.items() if held}
        for one in self._collector.apart(found):
            self._collector.one(one)
        return write_samples(made) if made.samples else []


def write_samples(collection: Collection) -> list[Path]:
    """Write the samples of a collection into the project's folder of samples, all or none; return their paths."""
    top = collection.folder / FOLDER
    made: list[Path] = []
    try:
        top.mkdir(exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=".coming-", dir=top) as waiting:
            pairs = []
            for number, one in enumerate(collection.samples):
                written = f"{waiting}/{number}"
                with open(written, "xb") as file:
                    file.write(one.content)
                pairs.append((written, top / one.function / one.name))
            for function in {one.function for one in collection.samples}:
                (top / function).mkdir(exist_ok=True)
            try:
                for written, path in pairs:
                    os.link(written, path) if hasattr(os, "link") else os.replace(written, path)
                    made.append(path)
            except BaseException:
                for path in made:
                    with contextlib.suppress(OSError):
                        path.unlink()
                raise
    except OSError as error:
        raise BadInput(f"{top} can't be written into: {error.strerror or error}", "Check the folder") from None
    return made


# --- what lies in a file ---


def _found_in(data: bytes, shown: str, beside: Path | None, collector: _Collector) -> Iterator[Found]:
    """Yield what a file holds, by what it looks like."""
    if not data.strip():
        raise BadInput("there is nothing in it", "Give a file with requests or events", Place(shown))
    if _REQUEST_LINE.match(data):
        yield _of_message(data, shown)
        return
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadInput(f"it is no text in UTF-8 (byte {error.start})", "Give it in UTF-8", Place(shown)) from None
    if re.search(r"^\s*(?:\$ )?(?:sudo |time )?(?:\S*/)?curl(?:\.exe)?\s", text, re.MULTILINE):
        yield from curl_requests(text, shown, beside)
        return
    whole = _whole(text, shown)
    if is_archive(whole):
        yield from archived_requests(whole, shown)
    elif is_description(whole):
        yield from described_requests(whole, shown)
    elif isinstance(whole, dict | list) and collector.is_native(whole):
        yield Found(Place(shown, 1), native=whole)
    elif shown.endswith(".har"):
        raise BadInput("this is no HTTP archive: it has no log.entries", "Export the session again", Place(shown, 1))
    else:
        read = LogRead()
        yield from logged_events(text, shown, collector.is_one, read)
        collector.logged(read, shown)


def read_description(path: Path) -> Any:
    """Return the API description (OpenAPI) in a file; raises BadInput for what is none."""
    shown = str(path)
    try:
        text = read_file(path, shown, "the description").decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadInput(f"it is no text in UTF-8 (byte {error.start})", "Give it in UTF-8", Place(shown)) from None
    whole = _whole(text, shown)
    if not is_description(whole):
        remedy = "Give an OpenAPI document: it has openapi and paths"
        raise BadInput("this is no API description", remedy, Place(shown, 1))
    return whole


def _whole(text: str, shown: str) -> Any:
    """Return the JSON value, or the YAML of an API description, that a file is as a whole; nothing else."""
    if text.lstrip()[:1] in ("{", "["):
        try:
            return json.loads(text)
        except ValueError as error:
            if shown.endswith((".har", ".json")):
                line = getattr(error, "lineno", 1)
                raise BadInput(
                    f"it is no JSON: {error}", "Export it again: it may be cut off", Place(shown, line)
                ) from None
            return None
    return parse_yaml(text, shown, "the description").data if re.search(r"^openapi:", text, re.MULTILINE) else None


def _of_message(data: bytes, shown: str) -> Found:
    request = read_request(data, "", shown)
    if carries_events(request.headers):
        standard = next(each for each in all_profiles() if each.model.format)
        events = read_message(data, standard, shown)
        return Found(Place(shown, 1), native=events[0] if len(events) == 1 else events)
    return Found(Place(shown, 1), request)


# --- whose it is ---


class _Collector:
    def __init__(self, profile: Profile, project: Project, folder: Path, function: str, redactor: Redactor) -> None:
        self.profile, self.project, self.function, self.redactor = profile, project, function, redactor
        self.forms = Forms(redactor.names)
        self.gateway = Gateway(project, route_style(profile).order)
        self.made = Collection(folder)
        self._profiles = [profile, *(each for each in all_profiles() if each.model.standard)]
        self._seen: dict[str, set[bytes]] = {}
        self._names: dict[str, set[str]] = {}
        self._numbers: Counter[tuple[str, str, str]] = Counter()
        self._left: Counter[str] = Counter()
        self._first_left: dict[str, Place] = {}
        self._untaken: list[tuple[Place, str]] = []
        self.before: Mapping[str, Any] = {}  # what services held

    # --- recognising ---

    def is_one(self, value: Any) -> bool:
        """Tell whether a value is an event of the project's provider, or of an open standard."""
        return self._profile_of(value) is not None

    def is_native(self, value: Any) -> bool:
        """Tell whether a value is an event, or a list of some."""
        return all(map(self.is_one, value)) if isinstance(value, list) and value else self.is_one(value)

    def _profile_of(self, value: Any) -> Profile | None:
        return next((each for each in self._profiles if each.kinds and is_event(value, each)), None)

    # --- taking ---

    def take(self, found: list[Found], shown: str) -> None:
        """Take what a file holds; raises BadInput where no function takes any of it."""
        before = len(self.made.samples) + self.made.known
        found = [each for one in found for each in self.apart(one)]
        reasons = [why for one in found if (why := self.one(one))]
        if not found:
            raise BadInput(
                "there is no request and no event in it", "See docs/samples.md for what is read", Place(shown)
            )
        if len(self.made.samples) + self.made.known == before:
            rest = f" ({len(found) - 1} more like it)" if len(found) > 1 else ""
            raise BadInput(
                f"no function takes this{rest}: {reasons[0]}", "Name the function with --function", found[0].place
            )
        self.made.untaken += len(reasons)

    def apart(self, one: Found) -> list[Found]:
        """Return what was found, a list of events one by one: each may be of another function."""
        if not isinstance(one.native, list) or self.is_one(one.native):
            return [one]
        return [replace(one, native=each) for each in one.native]

    def one(self, one: Found) -> str:
        """Take one thing that was found; return why no function takes it."""
        if one.request is not None:
            routed = self.gateway.route(one.request).function
            function = self.function or routed
            if not function:
                why = f"no route is for {one.request.method} {one.request.path}"
                self._untaken.append((one.place, why))
                return why
            request, left = self.redactor.request(one.request)
            self._leave([*one.notes, *left], one.place)
            path = f"{request.method.lower()} {request.path}"
            self._keep(function, path, ".http", message_of(request), one.place, request=request)
            return ""
        why = ""
        taken = False
        profile = self._profile_of(one.native) or self.profile
        kind, events = read_events(one.native, profile, one.place.file)
        title = f"event {events[0]['id']}" if events and events[0]["id"] else "event"
        for function, reason in self._takers(kind, events):
            if reason:
                why = why or reason
                continue
            taken = True
            native = self.redactor.value(one.native) if self.redactor.names else one.native
            text = json.dumps(native, ensure_ascii=False, indent=2) + "\n"
            self._keep(function, title, ".json", text.encode("utf-8", "surrogatepass"), one.place)
        if not taken:
            self._untaken.append((one.place, why))
        return "" if taken else why or "the project has no function for it"

    def _takers(self, kind: str, events: list[dict[str, Any]]) -> Iterator[tuple[str, str]]:
        """Yield each function with why it does not take an event, which is empty where it does."""
        for function in self.project.functions:
            if self.function:
                if function.name == self.function:
                    yield function.name, ""
            elif kind == REQUEST:
                there = self.gateway.route(HttpEvent.from_fields(events[0])).function
                yield function.name, "" if there == function.name else "no route is for it"
            elif kind in function.kinds:
                yield function.name, next((why for event in events if (why := takes(function, kind, event))), "")
            else:
                yield (
                    function.name,
                    f"no function has a {kind} trigger" if not self._has(kind) else f"it is a {kind} event",
                )

    def _has(self, kind: str) -> bool:
        return any(kind in one.kinds for one in self.project.functions)

    def _keep(
        self, function: str, title: str, suffix: str, content: bytes, place: Place, *, request: HttpEvent | None = None
    ) -> None:
        if self.before:
            suffix, content, request = ".yaml", _with_before(suffix, content, self.before), None
        if function not in self._seen:
            self._seen[function], self._names[function] = set(), set()
            for path in self._kept(function):
                self._names[function].add(path.name)
                self._seen[function].add(_digest(path.suffix, path.read_bytes(), self.forms))
        # What was made of a request need not be read again to know what it is.
        digest = _digest_of(self.forms, request) if request is not None else _digest(suffix, content, self.forms)
        if digest in self._seen[function]:
            self.made.known += 1
            return
        self._seen[function].add(digest)
        name = self._free(function, _slug(title), suffix)
        self._names[function].add(name)
        self.made.samples.append(Collected(function, name, content, place))

    def _free(self, function: str, slug: str, suffix: str) -> str:
        """Return a name that no sample of a function has; what is taken is not tried again."""
        while True:
            number = self._numbers[function, slug, suffix] = self._numbers[function, slug, suffix] + 1
            name = f"{slug}{f'-{number}' * (number > 1)}{suffix}"
            if name not in self._names[function]:
                return name

    def _kept(self, function: str) -> list[Path]:
        folder = self.made.folder / FOLDER / function
        return [path for path in folder.iterdir() if path.is_file()] if folder.is_dir() else []

    def _leave(self, notes: list[str], place: Place) -> None:
        for note in notes:
            self._left[note] += 1
            self._first_left.setdefault(note, place)

    # --- telling ---

    def logged(self, read: LogRead, shown: str) -> None:
        """Take note of what of a log held no event."""
        if read.cut:
            lines = ", ".join(map(str, read.cut[:_MOST_TOLD])) + ", …" * (len(read.cut) > _MOST_TOLD)
            count = f"in {len(read.cut)} lines an event is" if len(read.cut) > 1 else "an event is"
            self._note("event-cut", f"{count} cut off: {lines}", "Log it whole", Place(shown, read.cut[0]))
        if read.without:
            title = self.profile.title
            self._note(
                "line-without-event",
                f"{read.without} lines hold no event that {title} or an open standard has",
                "Nothing, if they are other lines of the log",
                Place(shown),
                Severity.NOTE,
            )

    def _note(self, code: str, reason: str, remedy: str, place: Place, severity: Severity = Severity.TODO) -> None:
        self.made.findings.append(Finding(code, severity, reason, remedy, place))

    def done(self) -> Collection:
        """Return what was found, with what was left out of it."""
        for note, count in self._left.items():
            times = f" ({count} times)" if count > 1 else ""
            made_up = "cookies" in note
            self._note(
                "value-made-up" if made_up else "left-out",
                f"{note}{times} {'are made up' if made_up else 'left out'}: samples are kept with the code",
                "Where a handler needs them, add made-up ones to the sample",
                self._first_left[note],
            )
        for place, why in self._untaken[:_MOST_TOLD] if self.made.untaken else ():
            self._note("sample-of-none", why, _NOT_OURS, place, Severity.NOTE)
        if self.made.untaken > _MOST_TOLD:
            more = self.made.untaken - _MOST_TOLD
            self._note(
                "sample-of-none",
                f"{more} more are of no function",
                "Nothing, if they are not the project's",
                Place(),
                Severity.NOTE,
            )
        for name in sorted(self.redactor.names - self.redactor.met):
            self._note(
                "redacted-nothing", f"nothing that was found has a field {name}", "Check how it is spelt", Place()
            )
        return self.made


def _digest(suffix: str, content: bytes, forms: Forms) -> bytes:
    """Return what equal samples have in common: of what is made up its form, of JSON its value."""
    with contextlib.suppress(ValueError, BadInput):
        if suffix == ".json":
            content = json.dumps(forms.value(json.loads(content)), sort_keys=True).encode("utf-8", "surrogatepass")
        elif suffix == ".http":
            return _digest_of(forms, read_request(content, "", ""))
    return hashlib.sha256(suffix.encode() + content).digest()


def _digest_of(forms: Forms, request: HttpEvent) -> bytes:
    return hashlib.sha256(b".http" + message_of(forms.request(request)[0])).digest()


def _with_before(suffix: str, content: bytes, before: Mapping[str, Any]) -> bytes:
    """Return a sample in the readable form, with what services held before."""
    held = held_before(before)
    if suffix == ".json":
        data: dict[str, Any] = {"native": json.loads(content), "before": held}
    else:
        event = read_request(content, "", "")
        told: dict[str, Any] = {"authority": event.authority, "method": event.method, "path.raw": event.path}
        if event.query:
            told["query.raw"] = event.query
        if event.headers:
            told["headers"] = [list(pair) for pair in event.headers]
        if event.body:
            told["body"] = file_bytes(event.body)
        data = {"kind": REQUEST, "event": told, "before": held}
    return write_yaml(data).encode("utf-8", "surrogatepass")


def _slug(text: str) -> str:
    made = re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")
    return made[:60].strip("-") or "sample"
