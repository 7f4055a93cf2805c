"""The corpus: handlers as people write them, carried to every other provider that has their kind, and checked.

Run as a program it prints how many of the pairs came out native, and how they were checked:

    .venv/bin/python tests/corpus_cases.py [--source PROVIDER] [--to PROVIDER] [--apart yes|no] [--each]
"""

from __future__ import annotations

import argparse
import atexit
import functools
import os
import re
import shutil
import sys
import tempfile
from collections import Counter
from collections.abc import Container, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import yaml

from vast_ferry import carry, check
from vast_ferry.checking.compare import Verdict
from vast_ferry.checking.originals import Originals
from vast_ferry.definitions.schedules.cron import read_cron
from vast_ferry.definitions.writing import write_definition
from vast_ferry.documents.yaml_file import write_yaml
from vast_ferry.hub.functions import Binding, Entry, EventTrigger, Function, Project, RouteTrigger, Trigger
from vast_ferry.hub.schedules import Schedule
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import find_profile

CORPUS = Path(__file__).parent / "corpus"
SOURCES = {
    "ostermere": "ostermere@1",
    "thornwick": "thornwick@2",
    "quillhaven": "quillhaven@1",
    "brackendale": "brackendale@1",
    "marrowby": "marrowby@1",
    "fennick": "fennick@1",
}
TARGETS = [*SOURCES.values(), "wsgi@1", "asgi@1", "cgi@1"]

#: Written before the translator could do them, and not looked at while it was made.
APART = frozenset(
    [
        "ostermere/weigh_defensive",
        "ostermere/weigh_class",
        "ostermere/note_nullable",
        "ostermere/note_helpers",
        "ostermere/photo_back",
        "ostermere/greet_lambda",
        "ostermere/session_cookies",
        "ostermere/report_cached",
        "ostermere/sheet_one",
        "ostermere/order_caught",
        "ostermere/order_comprehension",
        "ostermere/audit_table",
        "ostermere/total_value",
        "thornwick/weigh_heads",
        "thornwick/note_json",
        "thornwick/session_form",
        "thornwick/remove_try",
        "thornwick/sheet_partial",
        "thornwick/audit_deeds",
        "thornwick/greet_nested",
        "quillhaven/report_visit",
        "quillhaven/nightly_hour",
        "brackendale/sheet_gather",
        "brackendale/order_async",
        "marrowby/session_lines",
        "marrowby/tidy_sorts",
        "marrowby/summary_guarded",
        "marrowby/label_counts",
        "marrowby/stamp_known",
        "brackendale/listing_named",
    ]
)


@functools.cache
def tasks() -> dict[str, Any]:
    """Return what the handlers are for; read once, for it takes longer than to carry a handler."""
    read: dict[str, Any] = yaml.safe_load((CORPUS / "tasks.yaml").read_text(encoding="utf-8"))
    return read


def handlers(source: str) -> list[str]:
    """Return the names of a provider's handlers."""
    return sorted(path.stem for path in (CORPUS / source).glob("*.py"))


def trigger(name: str, task: Mapping[str, Any]) -> Trigger | None:
    """Return what causes a call of a handler."""
    if "route" in task:
        method, route = task["route"]  # each below a name of its own: no two may take the same
        methods = tuple(method) if isinstance(method, list) else (method,)
        return RouteTrigger(f"/{name}{route}", methods, task.get("callers", "public"))
    if "schedule" in task:
        return EventTrigger("schedule", name, schedule=Schedule.of(read_cron(task["schedule"])))
    if "event" in task:
        event = task["event"]
        return EventTrigger(event["kind"], event["source"], tuple(event.get("changes", ())))
    return None


def functions(source: str) -> list[Function]:
    """Return the functions of a provider's handlers."""
    made = []
    for name in handlers(source):
        task = tasks()[name.partition("_")[0]]
        callable_name = {"brackendale": "respond", "fennick": ""}.get(source, "run")
        one = trigger(name, task)
        entry = Entry(f"{name}.py", callable_name)
        bindings = tuple(Binding(**wire) for wire in task.get("wires", ()))
        variables = dict(task.get("variables", {}))
        made.append(Function(name, entry, (one,) if one else (), variables=variables, bindings=bindings))
    return made


def share_of(source: str, target: str) -> list[str]:
    """Return the handlers that go to a target in `make test`: one in sixty-four, others at the next.

    With `SHARE=whole` in the environment, as `make test-rest` has it, all do.
    """
    whole = os.environ.get("SHARE") == "whole"
    return [name for at, name in enumerate(handlers(source)) if whole or (at + TARGETS.index(target)) % 64 == 0]


def build(source: str, folder: Path, only: Container[str] | None = None) -> Path:
    """Write a provider's handlers into a folder as a project of it, with their samples, and return the folder."""
    profile = find_profile(SOURCES[source])
    for path in (CORPUS / source).rglob("*.py"):
        if only is not None and path.parent == CORPUS / source and path.stem not in only:
            continue
        target = folder / path.relative_to(CORPUS / source)
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(path.read_bytes())
    definition = {"quillhaven.yaml": "library: corpus\n"}
    if source != "quillhaven":
        wanted = tuple(function for function in functions(source) if only is None or function.name in only)
        definition = write_definition(Project("corpus", functions=wanted), profile)
    for path_text, text in definition.items():
        (folder / path_text).parent.mkdir(parents=True, exist_ok=True)
        (folder / path_text).write_text(text, encoding="utf-8")
    known = tasks()
    for name in (one for one in handlers(source) if only is None or one in only):
        for sample, data in known[name.partition("_")[0]]["samples"].items():
            place = folder / "samples" / name / f"{sample}.yaml"
            place.parent.mkdir(parents=True, exist_ok=True)
            text = write_yaml(data).replace("NAME", name)
            if source != "quillhaven":
                text = re.sub(r"(path.raw: [\"']?)/", rf"\1/{name}/", text)
            place.write_text(text, encoding="utf-8")
    return folder


@dataclass
class Pair:
    """One handler at one target: how it was carried, why, and what the check said of each sample."""

    handler: str
    target: str
    style: str = ""  # native | native with shim | wrapped | left behind
    codes: list[str] = field(default_factory=list)
    verdicts: dict[str, str] = field(default_factory=dict)
    told: dict[str, str] = field(default_factory=dict)
    crossing_codes: frozenset[str] = frozenset()

    @property
    def same(self) -> bool:
        """Tell whether every sample was the same."""
        return bool(self.verdicts) and set(self.verdicts.values()) == {"same"}


def style_of(record: Any, name: str) -> str:
    """Return how a function was carried."""
    function = next((one for one in record.functions if one.name == name), None)
    if function is None:
        return "left behind"
    if function.style == "wrapped":
        return "wrapped"
    made = ("made-as-it-was", "made-whole-")
    shim = any(one.code.startswith(made) and one.function == name for one in record.findings)
    return "native with shim" if shim else "native"


@functools.cache
def project_of(source: str) -> Path:
    """Return a folder with all of a provider's handlers as a project, written once and kept to the end."""
    folder = Path(tempfile.mkdtemp(prefix="corpus-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return build(source, folder)


#: The original is run once for each handler and sample, not anew for each target.
ORIGINALS = Originals()


def run(source: str, target: str, folder: Path, only: Container[str] | None = None) -> list[Pair]:
    """Carry a provider's handlers to a target, check them, and return what came of each that has its kind there."""
    profile: Profile = find_profile(target)
    known = [f for f in functions(source) if only is None or f.name in only]
    wanted = {f.name for f in known if f.kinds[0] in profile.kinds}
    if not wanted:
        return []
    project = project_of(source)
    crossing = carry(project, to=target, out=folder / "there", source=SOURCES[source])
    pairs = {name: Pair(f"{source}/{name}", target, style_of(crossing.record, name)) for name in sorted(wanted)}
    for pair in pairs.values():
        pair.crossing_codes = frozenset(finding.code for finding in crossing.record.findings)
    for finding in crossing.record.findings:
        if finding.function in pairs:
            pairs[finding.function].codes.append(finding.code)
    samples = sorted(path for name in wanted for path in (project / "samples" / name).iterdir())
    result = check(folder / "there", samples=samples, originals=ORIGINALS)
    for one in result.checked:
        if one.function in pairs:
            pairs[one.function].verdicts[one.sample] = str(one.verdict)
            if one.verdict is not Verdict.SAME:
                why = "; ".join(one.reasons) or "; ".join(f"{d.at}: {d.expected} / {d.got}" for d in one.differences)
                pairs[one.function].told[one.sample] = why
    return list(pairs.values())


#: Fields that some clients have no place for; a finding `client-no-…` tells of each beforehand.
NO_PLACE = {"content_type": "content-type", "labels": "labels", "attributes": "attributes", "group": "group"}


def told_beforehand(pair: Pair, sample: str) -> bool:
    """Tell whether all that differs in a sample was told: a field that has no place, or, where services are files, the
    deletion of what is not there."""
    why = pair.told.get(sample, "")
    if sample == "bytes.yaml" and "base64-not-seen" in pair.codes:  # JSON that is not called so
        return True
    if "wrapped-no-service" in pair.codes:  # it calls what the target has nothing for
        return True
    mounted = find_profile(pair.target).model.handler.mount is not None
    for part in why.split("; "):
        at, _, rest = part.partition(": ")
        field = next((name for name in NO_PLACE if f".{name}" in f".{at.split(' ')[-1]}" or f" {name}" in at), "")
        if field and f"client-no-{NO_PLACE[field]}" in pair.crossing_codes:
            continue
        if mounted and ".delete" in rest and rest.endswith("/ (nothing)"):
            continue
        return False
    return bool(why)


def explained(pair: Pair) -> bool:
    """Tell whether a finding says why a handler was not rewritten, or what was made for it."""
    wanted = {"native with shim": "made-", "wrapped": "wrapped-"}[pair.style]
    return any(code.startswith(wanted) for code in pair.codes)


def everything(sources: list[str], targets: list[str]) -> Iterator[Pair]:
    """Yield all pairs of these sources and targets."""
    for source in sources:
        for target in targets:
            if target != SOURCES[source]:
                with tempfile.TemporaryDirectory() as folder:
                    yield from run(source, target, Path(folder))


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--source", choices=[*SOURCES])
    parser.add_argument("--to", choices=TARGETS)
    parser.add_argument("--apart", choices=["yes", "no"])
    parser.add_argument("--each", action="store_true", help="print every pair that is not native and the same")
    given = parser.parse_args()
    styles: Counter[str] = Counter()
    verdicts: Counter[str] = Counter()
    for pair in everything([given.source] if given.source else [*SOURCES], [given.to] if given.to else TARGETS):
        if given.apart and (pair.handler in APART) != (given.apart == "yes"):
            continue
        styles[pair.style] += 1
        verdicts.update(pair.verdicts.values())
        if given.each and not (pair.style == "native" and pair.same):
            codes = ", ".join(c for c in dict.fromkeys(pair.codes) if c.startswith("wrapped") or c == "made-as-it-was")
            sys.stdout.write(f"{pair.handler} to {pair.target}: {pair.style} {codes}\n")
            for sample, why in pair.told.items():
                sys.stdout.write(f"    {pair.verdicts[sample]} {sample}: {why[:300]}\n")
    total = sum(styles.values())
    count = sum(len(handlers(source)) for source in ([given.source] if given.source else SOURCES))
    sys.stdout.write(f"{count} handlers, {total} pairs\n")
    for style, number in styles.most_common():
        sys.stdout.write(f"{style:18} {number:4}  {100 * number / total:5.1f} %\n")
    sys.stdout.write(
        "samples: " + ", ".join(f"{verdict} {number}" for verdict, number in verdicts.most_common()) + "\n"
    )


if __name__ == "__main__":
    main()
