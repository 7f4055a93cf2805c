"""The corpus in JavaScript: handlers as people write them, carried to every target that runs it, and checked.

Run as a program it prints how they came out:

    .venv/bin/python tests/javascript_cases.py [--apart] [--each] [--only NAME]
"""

from __future__ import annotations

import argparse
import re
import tempfile
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from corpus_cases import CORPUS, tasks, trigger

from vast_ferry import carry, check
from vast_ferry.definitions.writing import write_definition
from vast_ferry.documents.yaml_file import write_yaml
from vast_ferry.hub.functions import Entry, Function, Project
from vast_ferry.profiles.registry import find_profile

SOURCES = {"ostermere": "ostermere@1", "thornwick": "thornwick@2", "brackendale": "brackendale@1"}
TARGETS = [*SOURCES.values(), "ostermere@2", "thornwick@1", "node-http@1", "fetch@1", "marrowby@1"]


@dataclass(frozen=True)
class Case:
    """One handler: its provider, its name, the suffix of its file, its source, and whether it was put apart."""

    source: str
    name: str
    suffix: str
    text: str
    apart: bool


def cases() -> list[Case]:
    """Return the handlers in the file."""
    text = (CORPUS / "javascript.txt").read_text(encoding="utf-8")
    found = re.findall(r"^#### (\w+)/(\w+) (\w+)( apart)?\n(.*?)(?=^#### |\Z)", text, re.MULTILINE | re.DOTALL)
    return [Case(one[0], one[1], one[2], one[4].rstrip() + "\n", bool(one[3])) for one in found]


def build(source: str, chosen: list[Case], folder: Path) -> Path:
    """Write handlers of a provider into a folder as a project of it, with their samples, and return the folder."""
    functions = []
    entry = "respond" if source == "brackendale" else "run"
    for one in chosen:
        task = tasks()[one.name.partition("_")[0]]
        caused = trigger(one.name, task)
        file = f"code/{one.name}.{one.suffix}"
        (folder / "code").mkdir(parents=True, exist_ok=True)
        (folder / file).write_text(one.text, encoding="utf-8")
        variables = dict(task.get("variables", {}))
        triggers = (caused,) if caused else ()
        functions.append(Function(one.name, Entry(file, entry), triggers, variables=variables))
        for sample, data in task["samples"].items():
            place = folder / "samples" / one.name / f"{sample}.yaml"
            place.parent.mkdir(parents=True, exist_ok=True)
            told = write_yaml(data).replace("NAME", one.name)
            place.write_text(re.sub(r"(path.raw: [\"']?)/", rf"\1/{one.name}/", told), encoding="utf-8")
    definition = write_definition(Project("corpus", functions=tuple(functions)), find_profile(SOURCES[source]))
    for path, text in definition.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_text(text, encoding="utf-8")
    return folder


@dataclass
class Pair:
    """One handler at one target: how it was carried, what was told of it, and what the check said otherwise."""

    handler: str
    target: str
    style: str
    codes: list[str] = field(default_factory=list)
    verdicts: Counter[str] = field(default_factory=Counter)
    otherwise: dict[str, str] = field(default_factory=dict)
    why: str = ""


def proven(source: str, target: str, chosen: list[Case], folder: Path) -> Iterator[Pair]:
    """Yield what came of a provider's handlers at a target."""
    known = find_profile(target).in_language("javascript").kinds
    wanted = [one for one in chosen if _kind(one) in known]
    if not wanted:
        return
    project = build(source, wanted, folder / "here")
    made = carry(project, to=target, out=folder / "there", source=SOURCES[source])
    whole = {one.function: one for one in made.record.findings if one.code == "made-whole-javascript"}
    wrapped = {one.function: one for one in made.record.findings if one.code == "wrapped-javascript"}
    pairs = {}
    for one in made.record.functions:
        style = "wrapped" if one.style == "wrapped" else "whole" if one.name in whole else "native"
        told = wrapped.get(one.name) or whole.get(one.name)
        codes = [f.code for f in made.record.findings if f.function in ("", one.name)]
        pairs[one.name] = Pair(f"{source}/{one.name}", target, style, codes, why=told.reason if told else "")
    for done in check(folder / "there").checked:
        pairs[done.function].verdicts[str(done.verdict)] += 1
        if str(done.verdict) not in ("same", "unheld"):
            texts = done.reasons or tuple(f"{d.at}: {d.expected} / {d.got}" for d in done.differences)
            pairs[done.function].otherwise[done.sample] = f"{done.verdict}: {'; '.join(texts)}"
    yield from pairs.values()


def _kind(one: Case) -> str:
    caused = trigger(one.name, tasks()[one.name.partition("_")[0]])
    return caused.kind if caused else "call"


def untold(pair: Pair) -> dict[str, str]:
    """Return what came out otherwise and no finding told beforehand."""
    missing = "client-not-carried" in pair.codes or any(code.startswith("client-no-") for code in pair.codes)
    return {} if missing else pair.otherwise


def main() -> None:
    """Print how the handlers came out."""
    asks = argparse.ArgumentParser()
    asks.add_argument("--apart", action="store_true")
    asks.add_argument("--each", action="store_true")
    asks.add_argument("--only", default="")
    asked = asks.parse_args()
    styles: Counter[str] = Counter()
    verdicts: Counter[str] = Counter()
    chosen_of = [one for one in cases() if one.apart is asked.apart and asked.only in one.name]
    for source, own in SOURCES.items():
        chosen = [one for one in chosen_of if one.source == source]
        for target in TARGETS:
            if target == own or not chosen:
                continue
            with tempfile.TemporaryDirectory() as folder:
                for pair in proven(source, target, chosen, Path(folder)):
                    styles[pair.style] += 1
                    verdicts.update(pair.verdicts)
                    if asked.each or untold(pair):
                        print(f"{pair.handler} → {target}: {pair.style} {dict(pair.verdicts)} {pair.why}")
                    for sample, why in untold(pair).items():
                        print(f"    {sample} {why}")
    print(dict(styles), dict(verdicts))


if __name__ == "__main__":
    main()
