"""Samples made for every handler of a corpus, and what was carried held against them at every target.

The samples of the corpora were written by who wrote the handlers. Those that `event make` makes were not: they are led
by what the code runs. What they show to differ, and no finding of the carry told of its function, is printed.

    .venv/bin/python tests/made_everywhere.py ostermere|thornwick|... [--javascript] [--seconds N] [--to TARGET]
"""

from __future__ import annotations

import argparse
import tempfile
from collections import Counter
from pathlib import Path

import corpus_cases
import javascript_cases

from vast_ferry import carry, check, make_samples, write_samples
from vast_ferry.hub.progress import quietly

#: Findings that tell of no difference in what a handler does.
SILENT = frozenset(("made-whole-javascript", "wrapped-javascript", "made-as-it-was", "secret-to-set", "event-unread"))


def main() -> None:
    """Print what differs, and was not told."""
    asks = argparse.ArgumentParser()
    asks.add_argument("source")
    asks.add_argument("--javascript", action="store_true")
    asks.add_argument("--seconds", type=float, default=2.0, help="for each handler")
    asks.add_argument("--to", default="")
    asked = asks.parse_args()
    cases = javascript_cases if asked.javascript else corpus_cases
    own = cases.SOURCES[asked.source]
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "here"
        if asked.javascript:
            chosen = [one for one in javascript_cases.cases() if one.source == asked.source]
            project = javascript_cases.build(asked.source, chosen, folder)
            count = len(chosen)
        else:
            project = corpus_cases.build(asked.source, folder)
            count = len(corpus_cases.handlers(asked.source))
        made = make_samples(project, source=own, seconds=asked.seconds * count, most=12, progress=quietly)
        write_samples(made.collection)
        print(f"{count} handlers, {made.generated} events tried, {len(made.collection.samples)} samples", flush=True)
        for target in [asked.to] if asked.to else cases.TARGETS:
            if target == own:
                continue
            there = Path(scratch) / target
            record = carry(project, to=target, out=there, source=own).record
            told: dict[str, set[str]] = {}
            for one in record.findings:
                if one.code not in SILENT:
                    told.setdefault(one.function, set()).add(one.code)
            verdicts: Counter[str] = Counter()
            for done in check(there).checked:
                verdicts[str(done.verdict)] += 1
                if str(done.verdict) == "differs":
                    codes = told.get(done.function, set())
                    mark = "told" if codes else "UNTOLD"
                    verdicts[mark] += 1
                    first = done.differences[0]
                    differs = f"{first.at}: {first.expected[:70]!r} / {first.got[:70]!r}"
                    print(f"  {mark} {done.function} {done.sample} → {target}: {differs} {sorted(codes)[:4]}")
            print(f"{own} → {target}: {dict(verdicts)}", flush=True)


if __name__ == "__main__":
    main()
