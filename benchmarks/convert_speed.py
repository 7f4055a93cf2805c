"""`event convert --lines` against a bare loads/dumps loop with the same JSON library, each a process, over one file.

Run: .venv/bin/python benchmarks/convert_speed.py
Figures are ratios within one run: how much of the bare loop's speed the conversion has, starting included and without.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from vast_ferry.events.native import write_events
from vast_ferry.hub.http import HttpEvent
from vast_ferry.profiles.registry import find_profile

LINES = 150_000
ROUNDS = 3
BARE = """
import sys, simplejson
with open(sys.argv[1], "rb") as lines:
    for line in lines:
        sys.stdout.write(simplejson.dumps(simplejson.loads(line)) + "\\n")
"""

WEB = HttpEvent(
    "w-81",
    "2026-11-25T08:30:00.123Z",
    "GET",
    "https",
    "api.lindenfold.example",
    "/hives/h-7/weight",
    "day=mon&day=tue&unit=kg",
    "/hives/{hive}/weight",
    {"hive": "h-7"},
    [("accept", "application/json, text/plain"), ("user-agent", "scale/2.1"), ("cookie", "sid=1; last=mon")],
    b"",
    "198.51.100.7",
)
EVENTS: dict[str, dict[str, Any]] = {
    "http": WEB.as_fields(),
    "object": {
        "id": "s-1",
        "time": "2026-11-25T08:30:00.123Z",
        "change": "created",
        "bucket": "inspections",
        "key": "north/2026-11-20 first.csv",
        "size": 412,
        "content_type": "text/csv",
        "etag": "9f2c",
        "version": "4",
        "labels": {"by": "m-12"},
        "extensions": {},
    },
    "message": {
        "id": "l-1",
        "time": "2026-11-25T08:30:00.123Z",
        "channel": "honey-orders",
        "body": b'{"order": "o-1", "kind": "linden", "grams": 500, "member": "m-12"}',
        "content_type": "application/json",
        "attributes": {"region": "north"},
        "group": "m-12",
        "attempt": 1,
        "extensions": {},
    },
    "record": {
        "id": "b-1",
        "time": "2026-11-25T08:30:00.123Z",
        "change": "updated",
        "table": "hives",
        "keys": {"hive": "h-7"},
        "old": {"hive": "h-7", "apiary": "north", "colour": "blue", "weight": 31.5},
        "new": {"hive": "h-7", "apiary": "heath", "colour": "blue", "weight": 31.25},
        "sequence": "000118",
        "extensions": {},
    },
}
#: kind, from, to: unlike surfaces each
CASES = [
    ("http", "ostermere@1", "thornwick@1"),
    ("http", "brackendale@1", "fennick@1"),
    ("object", "ostermere@2", "quillhaven@1"),
    ("message", "thornwick@2", "ostermere@1"),
    ("record", "marrowby@1", "brackendale@1"),
    ("message", "cloudevents@1", "ostermere@2"),
]


def seconds(command: list[str]) -> float:
    start = time.perf_counter()
    with tempfile.TemporaryFile() as out:
        subprocess.run(command, stdout=out, stderr=subprocess.DEVNULL, check=True)
    return time.perf_counter() - start


def main() -> None:
    """Print, for each case, the median over rounds taken in turn of how much of the bare loop's speed we have."""
    tool = str(Path(sys.executable).with_name("vast-ferry"))
    with tempfile.TemporaryDirectory() as folder:
        many, one = Path(folder, "many.jsonl"), Path(folder, "one.jsonl")
        for kind, source, target in CASES:
            (native,) = write_events(kind, [EVENTS[kind]], find_profile(source))
            line = json.dumps(native, ensure_ascii=False) + "\n"
            many.write_text(line * LINES, encoding="utf-8")
            one.write_text(line, encoding="utf-8")
            bare = [sys.executable, "-c", BARE]
            ours = [tool, "event", "convert", "--lines", "--from", source, "--to", target]
            starts = [min(seconds([*command, str(one)]) for _ in range(3)) for command in (bare, ours)]
            rounds = [[seconds([*command, str(many)]) for command in (bare, ours)] for _ in range(ROUNDS)]
            whole = statistics.median(theirs / own for theirs, own in rounds)
            steady = statistics.median((theirs - starts[0]) / (own - starts[1]) for theirs, own in rounds)
            own = statistics.median(own for _, own in rounds)
            print(f"{kind:8} {source:14} → {target:14} {own / LINES * 1e6:5.1f} µs a line", end=": ")
            print(f"{whole:.2f} of the bare loop's speed, {steady:.2f} once started", flush=True)


if __name__ == "__main__":
    main()
