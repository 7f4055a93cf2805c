"""Evidence of answers: what a provider's clients, callers and batches saw of handlers, run on its stand-in.

Beside recorded events (`evidence.witnesses`) a folder of evidence may hold `replies.yaml`: a list of handlers' bodies,
the event that each was called with, and what came of it. The stand-in calls a handler as the profile says, and what it
makes of the answer must be what was seen: so a profile's replies are judged by somebody else, as its events are.
"""

from __future__ import annotations

import ast
import shutil
import tempfile
import textwrap
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from vast_ferry.definitions.declared import leads_into
from vast_ferry.documents.document import read_file
from vast_ferry.documents.yaml_file import read_yaml
from vast_ferry.events.compiled import beside
from vast_ferry.events.native import parse_json, read_events
from vast_ferry.evidence.witnesses import evidence_folder, same
from vast_ferry.hub.findings import BadInput, FerryError, Place
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.mapping import helpers
from vast_ferry.profiles.profile import Profile
from vast_ferry.standins.stand_in import StandIn

ANSWERS = "replies.yaml"
#: What a handler prints that failed on its way.
CUT = "(cut off here)"
#: What a row may hold beside `kind`, `event`, `python` and `parameters`: what came of it.
_SEEN = ("client", "caller", "done", "again", "dropped", "lost")


@dataclass(frozen=True, slots=True)
class AnswerSeen:
    """One answer that evidence tells, and what the stand-in makes of it.

    `differs` has, for each part that is otherwise, what it is, what was seen and what came; `unseen` says why a row
    was not looked at; `line` is where it stands.
    """

    file: str
    line: int
    kind: str
    event: str
    differs: tuple[tuple[str, Any, Any], ...] = ()
    unseen: str = ""

    @property
    def right(self) -> bool:
        """Tell whether the answer came out as it was seen."""
        return not self.differs


def answers_seen(profile: Profile, file: Path | None = None) -> Iterator[AnswerSeen]:
    """Yield what the stand-in makes of each answer that a profile's evidence tells, or that `file` tells.

    Yields nothing where there is no such evidence. Raises BadInput for a file that can't be read, or a row that says
    too little; events are looked for in `events/` beside the file.
    """
    folder = evidence_folder(profile) if file is None else file.parent
    path = file or (folder / ANSWERS if folder is not None else None)
    if folder is None or path is None or (file is None and not path.is_file()):
        return
    document = read_yaml(path, str(path), "the answers that were seen")
    if not isinstance(document.data, list):
        remedy = "List rows of kind, event, python, and what came of it"
        raise BadInput("this is no list of answers", remedy, Place(str(path)))
    scratch = Path(tempfile.mkdtemp(prefix="answers-"))
    try:
        for number, row in enumerate(document.data):
            place = document.place(number)
            _check(row, profile, place)
            if not leads_into(folder / "events" / row["event"], folder):
                raise BadInput(
                    f"{row['event']!r} leads out of the folder", "Name a file in events/ beside this one", place
                )
            about = AnswerSeen(path.name, place.line, row["kind"], row["event"])
            yield _seen(profile, row, folder / "events", scratch, about)
    finally:
        shutil.rmtree(scratch, ignore_errors=True)


def _check(row: Any, profile: Profile, place: Place) -> None:
    """Refuse a row that does not say what handler there was, what it was called with, and what came of it."""
    known = {"kind", "event", "python", "parameters", "cut", *_SEEN}
    if not isinstance(row, dict) or not all(isinstance(row.get(key), str) for key in ("kind", "event", "python")):
        raise BadInput("an answer that was seen needs kind, event and python", "Say all three, as text", place)
    if stray := sorted(str(key) for key in row if key not in known):
        raise BadInput(f"an answer that was seen has no {stray[0]!r}", f"Use {', '.join(sorted(known))}", place)
    if not any(key in row for key in _SEEN):
        raise BadInput("nothing is said of what came of it", f"Say one of {', '.join(_SEEN)}", place)
    forms = {
        "client": dict,
        "caller": dict,
        "parameters": list,
        "done": list,
        "again": list,
        "dropped": list,
        "lost": list,
    }
    if wrong := next((key for key, form in forms.items() if key in row and not isinstance(row[key], form)), ""):
        what = "mapping" if forms[wrong] is dict else "list"
        raise BadInput(f"{wrong} is no {what}", "See docs/profiles.md, evidence", place)
    if not all(isinstance(one, str) and one.isidentifier() for one in row.get("parameters", [])):
        raise BadInput("parameters are names", "List the names of the handler's parameters", place)
    if not {"value", "fails"} & row.get("caller", {"value": None}).keys():
        raise BadInput("a caller gets a value, or the call fails", "Say value or fails under caller", place)
    if row["kind"] not in profile.kinds:
        raise BadInput(f"{profile.title} has no {row['kind']} events", f"Use {', '.join(profile.kinds)}", place)


def _seen(profile: Profile, row: dict[str, Any], events: Path, scratch: Path, about: AnswerSeen) -> AnswerSeen:
    if profile.model.handler.script:
        return replace(about, unseen="handlers are scripts here, and a row has the body of a function")
    if row.get("client", {}).get("cut") and profile.model.handler.asynchronous:
        return replace(about, unseen="the answer was cut off, which a stand-in of coroutine functions does not do")
    path = events / row["event"]
    data = parse_json(read_file(path, str(path), "the event"), str(path))
    try:
        with beside(events):
            _, called = read_events(data, profile, row["event"], kind=row["kind"])
    except BadInput as error:  # which its own evidence tells, with the row
        return replace(about, unseen=f"{row['event']} can't be read: {error.what}")
    name = f"h{about.line}"
    (scratch / f"{name}.py").write_text(handler_source(profile, row), encoding="utf-8")
    try:
        with StandIn(profile, scratch, f"{name}.py#handler") as stand_in:
            outcome = stand_in.call(row["kind"], *called)
    except FerryError as error:
        return replace(about, unseen=str(error))
    return replace(about, differs=tuple(_differences(row, called, outcome)))


def handler_source(profile: Profile, row: dict[str, Any]) -> str:
    """Return the file of a handler, as a provider has it, whose body a row gives; it is called `handler` there."""
    kind = profile.kind(row["kind"])
    given = [name for name in kind.event.handed_over if not kind.method or name not in kind.setup_takes]
    taken = ", ".join(row.get("parameters", given))
    modules = sorted({name.partition(".")[0] for name in (*profile.model.modules, *profile.model.clients)})
    lines = ["import json", "import pathlib", *(f"import {name}" for name in modules), ""]
    word = "async def" if profile.model.handler.asynchronous else "def"
    body = textwrap.indent(row["python"].rstrip("\n"), "    ")
    if row.get("client", {}).get("cut"):
        lines.append(f"def whole({taken}):\n{body}\n\n")
        body = textwrap.indent(_until_it_fails(row["python"], taken), "    ")
    if kind.method:
        lines += ["class handler:", textwrap.indent(f"{word} {kind.method}(self, {taken}):\n{body}", "    ")]
    else:
        lines.append(f"{word} handler({'*, ' * (kind.by_keyword and bool(taken))}{taken}):\n{body}")
    return "\n".join(lines) + "\n"


def _until_it_fails(body: str, taken: str) -> str:
    """Return the body of a handler that answers with what got out before another failed, and prints that it did.

    Pieces that were given, and what was told to an object that answers, are on their way when a handler fails: what a
    client gets then is what it would get of a handler that ends there.
    """
    given = any(
        isinstance(node, (ast.Yield, ast.YieldFrom))
        for node in ast.walk(ast.parse(f"def f():\n    0\n{textwrap.indent(body, '    ')}"))
    )
    call = f"{'yield from' if given else 'return'} whole({taken})"
    return f"try:\n    {call}\nexcept Exception:\n    print({CUT!r})"


def _differences(row: dict[str, Any], events: list[dict[str, Any]], outcome: Outcome) -> Iterator[tuple[str, Any, Any]]:
    """Yield each part of what came of a handler that is not what was seen."""
    failed = outcome.ending in (Ending.FAILED, Ending.EXITED)
    if "client" in row:
        yield from _of_a_client(row["client"], events[0], outcome)
    elif "caller" in row:
        fails = "fails" in row["caller"]
        if failed != fails:
            yield ("the call", "fails" if fails else "returns", str(outcome))
        elif not fails and not same("value", outcome.value, row["caller"]["value"]):
            yield ("the value", row["caller"]["value"], outcome.value)
    else:
        again = sorted(event["id"] for event in events) if failed else sorted(outcome.again)
        wanted = sorted([*row.get("again", []), *row.get("dropped", [])])
        if again != wanted:
            yield ("what comes again", wanted, f"all, for it {outcome}" if failed else again)


def _of_a_client(wanted: dict[str, Any], event: dict[str, Any], outcome: Outcome) -> Iterator[tuple[str, Any, Any]]:
    if outcome.reply is None:  # a gateway answers for it
        if wanted.get("status") != 500:
            yield ("the status", wanted.get("status"), f"none: {outcome}")
        return
    if outcome.reply.status != wanted.get("status"):
        yield ("the status", wanted.get("status"), outcome.reply.status)
    if wanted.get("cut", False) != (CUT in outcome.output):
        yield ("the end", "cut off", "whole")
    headers = [list(pair) for pair in outcome.reply.headers]
    if headers != [list(pair) for pair in wanted.get("headers", [])]:
        yield ("the header fields", wanted.get("headers", []), headers)
    # A HEAD is answered without content by whoever sends it.
    if event.get("method") != "HEAD" and not same("body", outcome.reply.body, wanted.get("body", "")):
        yield ("the content", wanted.get("body", ""), helpers.file_bytes(outcome.reply.body))
