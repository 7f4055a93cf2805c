"""The samples of a project: files in `samples/FUNCTION/`, found and read one at a time, each in one of three forms.

`NAME.http` is a request as it stands on the wire; `NAME.json` a native event of the project's provider, a list of
them, or a CloudEvents event; `NAME.yaml` the readable form, which also says what services held before.
"""

from __future__ import annotations

import functools
import os
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from vast_ferry.documents.document import read_file
from vast_ferry.events.compiled import beside
from vast_ferry.events.editions import find_source
from vast_ferry.events.event_message import carries_events, read_message
from vast_ferry.events.http_message import LARGEST, read_request_file
from vast_ferry.events.native import parse_json, read_events
from vast_ferry.events.recognising import is_event, shape_of
from vast_ferry.events.unread import unread_in
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.hub.http import HttpEvent
from vast_ferry.hub.kinds import REQUEST
from vast_ferry.hub.standards import odd_in
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles
from vast_ferry.samples.readable import read_readable

FOLDER = "samples"
FORMS = (".http", ".json", ".yaml")


@dataclass(frozen=True, slots=True)
class Sample:
    """Events kept on file (one, or those of a batch): for which function, of which kind, and what was there before.

    `before` holds objects and records as hub fields; `answers` what outbound HTTP calls are answered with.
    """

    function: str
    name: str
    path: Path
    kind: str
    events: tuple[dict[str, Any], ...]
    before: dict[str, Any] = field(default_factory=dict)
    answers: tuple[dict[str, Any], ...] = ()
    unread: tuple[str, ...] = ()  # keys of the native event that no row of its profile reads
    odd: tuple[tuple[str, str], ...] = ()  # fields that hold what is hardly meant there, and what that is in words

    @property
    def event(self) -> HttpEvent:
        """Return the HTTP request that it is."""
        return HttpEvent.from_fields(self.events[0])


def sample_files(folder: Path) -> Iterator[tuple[str, Path]]:
    """Yield (function, file) for every sample below a samples folder, in a fixed order.

    Raises BadInput for a file that is no kind of sample.
    """
    for function in sorted(path for path in folder.iterdir() if path.is_dir() and not path.name.startswith(".")):
        for file in _files_below(str(function)):
            if not file.endswith(FORMS):
                raise BadInput(
                    "this is no kind of sample", "Keep samples as NAME.http, NAME.json or NAME.yaml", Place(file)
                )
            yield function.name, Path(file)


def _files_below(folder: str) -> Iterator[str]:
    """Yield the files below a folder but hidden ones, level by level in the order of their names.

    No more is kept of them than the names of a folder: there may be a hundred thousand.
    """
    for name in sorted(os.listdir(folder)):
        path = os.path.join(folder, name)
        if os.path.isdir(path):
            if not os.path.islink(path):
                yield from _files_below(path)
        elif not name.startswith("."):
            yield path


def sample_name(function: str, path: Path, folder: Path) -> str:
    """Return what a sample of a function is called: its path below the function's folder."""
    below, shown = _below(folder, function), str(path)
    return shown.removeprefix(below).replace(os.sep, "/") if shown.startswith(below) else path.name


@functools.lru_cache(maxsize=64)
def _below(folder: Path, function: str) -> str:
    return f"{folder / function}{os.sep}"  # text for text: there may be a hundred thousand samples


def read_sample(function: str, path: Path, profile: Profile, folder: Path) -> Sample:
    """Return the sample in a file: a raw request, a native event of `profile`, or the readable form.

    Raises BadInput, with the line where there is one, for what is none of them.
    """
    name = sample_name(function, path, folder)
    identity, shown = f"{function}/{name}", str(path)
    if path.suffix == ".http":
        event = read_request_file(path, identity, shown)
        if carries_events(event.headers):
            standard = next(each for each in all_profiles() if each.model.format)
            data = read_message(read_file(path, shown, "the sample", LARGEST), standard, shown)
            return read_native(data, standard, shown).as_sample(function, name, path)
        return Sample(function, name, path, REQUEST, (event.as_fields(),))
    if path.suffix == ".yaml":
        readable = read_readable(path, shown, identity)
        if readable.kind:
            return Sample(function, name, path, readable.kind, readable.events, readable.before, readable.answers)
        given = find_source(readable.source, readable.native, shown) if readable.source else profile
        read = read_native(readable.native, given, shown).as_sample(function, name, path)
        return replace(read, before=readable.before, answers=readable.answers)
    native = parse_json(read_file(path, shown, "the sample", LARGEST), shown, "the sample")
    return read_native(native, profile, shown).as_sample(function, name, path)


@dataclass(frozen=True, slots=True)
class NativeRead:
    """Native data as a profile reads it: its kind, its events, keys that no row reads, and what is read oddly."""

    kind: str
    events: tuple[dict[str, Any], ...]
    unread: tuple[str, ...]
    odd: tuple[tuple[str, str], ...]

    def as_sample(self, function: str, name: str, path: Path) -> Sample:
        """Return it as a sample of a function."""
        return Sample(function, name, path, self.kind, self.events, unread=self.unread, odd=self.odd)


def read_native(data: Any, profile: Profile, shown: str) -> NativeRead:
    """Return native data as its profile reads it.

    It is of `profile`, or of an open standard that has such events. Files that events name stand beside the sample.
    """
    several = data if isinstance(data, list) else [data]
    kinds: dict[str, None] = {}
    events: list[dict[str, Any]] = []
    unread: dict[str, None] = {}
    odd: dict[tuple[str, str], None] = {}
    for one in several:
        of = profile
        if not is_event(one, profile):
            of = next((each for each in all_profiles() if each.model.standard and is_event(one, each)), profile)
        with beside(Path(shown).parent):
            kind, read = read_events(one, of, shown)
        kinds[kind] = None
        events += read
        unread |= dict.fromkeys(unread_in(one, of, kind, shape_of(one, of, kind)))
        odd |= dict.fromkeys(odd_in(read))
    if len(kinds) > 1:
        raise BadInput(
            f"the sample holds events of several kinds: {', '.join(kinds)}", "Keep one a sample", Place(shown)
        )
    return NativeRead(next(iter(kinds), ""), tuple(events), tuple(unread), tuple(odd))
