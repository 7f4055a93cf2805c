"""`make fuzz`: generated handlers carried to every target and proven, for as long as it is given.

Run: .venv/bin/python tests/fuzz.py [--minutes 1] [--seed 1] [--from PROVIDER] [--kind KIND]
Printed: how many programs and checks there were and how they came out; each that came out otherwise untold is shrunk
to a few lines, and shown with what was carried. The exit status is 1 if there is one. A seed gives the same programs.
"""

from __future__ import annotations

import argparse
import multiprocessing
import os
import pickle
import resource
import signal
import sys
import time
from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import islice
from multiprocessing.pool import AsyncResult
from pathlib import Path

from fuzz_grammar import Program, Surface, program, sharing
from fuzz_inside import Bench, Counted, Untold
from fuzz_ordinary import ordinary

from vast_ferry import Profile, find_profile
from vast_ferry.profiles.registry import all_profiles

KINDS = ("http", "message", "http", "record", "http", "object", "message", "call", "signal", "schedule")
SIZE = 12
HERE = Path(__file__).parent
#: Profiles that were written from manuals.
#: Their handlers are Larkspur's; the programs of a batch share a channel, which one file by its path can't take twice.
ALIKE = ("larkline-1", "larkpath-1")
MANUALS = [
    path
    for folder in ("manuals", "profiles")
    for path in sorted((HERE / folder).glob("*.yaml"))
    if path.stem not in ALIKE
]


def known_as(name: str) -> Profile:
    """Return the profile of a name, one that was written from a manual as well."""
    return next(one for one in (*all_profiles(), *(find_profile(str(path)) for path in MANUALS)) if one.name == name)


def sources() -> list[Profile]:
    """Return the providers whose handlers are generated: those that declare functions, and call them in one process."""
    known = [one for one in all_profiles() if one.model.definition and not one.model.handler.script and one.kinds]
    return [*known, *(find_profile(str(path)) for path in MANUALS)]


def targets(source: Profile, kind: str, *, fresh: bool) -> list[Profile]:
    """Return where handlers of a kind can go: providers, or (where nothing `fresh` is read) servers as well."""
    known = [*all_profiles(), *(find_profile(str(path)) for path in MANUALS)]
    found = [one for one in known if one.name != source.name and kind in one.kinds]
    found = [one for one in found if not one.model.handler.script]
    return [one for one in found if one.model.definition or (one.model.files and not fresh)]


def batches(seed: int) -> Iterator[tuple[Profile, str, str]]:
    """Yield provider, kind and seed of one batch after another, without end."""
    number = 0
    known = sources()
    known += 2 * [one for one in known if one.model.handler.asynchronous]  # there is more to be done wrong there
    while True:
        source, kind = known[number % len(known)], KINDS[(number + number // len(known)) % len(KINDS)]
        # What is answered through what tells of the event is not generated: such handlers are wrapped.
        if kind not in source.kinds or not source.kinds[kind].answers_through_event:
            yield source, kind, f"{seed}:{number}"
        number += 1


def programs(source: Profile, kind: str, seed: str, size: int = SIZE) -> dict[str, Program]:
    """Return the programs of a batch, by name."""
    surface = Surface.of(source, kind, fresh=fresh_of(seed))
    make = ordinary if int(seed.split(":")[1]) % 5 == 4 else program
    made = [make(surface, f"{seed}:{at}") for at in range(size)]
    if make is program:  # the first few share helpers
        made[:3] = sharing(tuple(made[:3]), seed)
    return {f"f{at}": one for at, one in enumerate(made)}


def fresh_of(seed: str) -> bool:
    """Tell whether the programs of a batch read ids and times."""
    return sum(map(int, seed.split(":"))) // 7 % 2 == 0


def shrunk(bench: Bench, one: Program, target: Profile) -> tuple[Program, list[Untold]]:
    """Return a program with as few pieces as still come out otherwise."""
    found = bench.prove({"f": one}, [target])
    at = 0
    while at < len(one.pieces):
        less = replace(one, pieces=one.pieces[:at] + one.pieces[at + 1 :])
        still = bench.prove({"f": less}, [target])
        if still:
            one, found = less, still
        else:
            at += 1
    return one, found


def told(bench: Bench, one: Program, failed: Untold) -> str:
    """Return a failure as a person reads it: what differs, the handler, and what was carried."""
    small, found = shrunk(bench, one, known_as(failed.target))
    there = bench.folder / "target"
    if found:
        bench.prove({"f": small}, [known_as(failed.target)])
    carried = "\n".join(f"# {path.name}\n{path.read_text()}" for path in sorted(there.glob("*_f.py")))
    what = found[0].what if found else f"only together with others of its batch: {failed.what}"
    source = "\n".join(small.files("f").values())
    return f"--- {small.surface.profile.name} to {failed.target}: {what}\n{source}\n--- carried\n{carried}\n"


_MEMORY = 6 * 1024**3
_LONGEST_BATCH = 300  # seconds
_LONGEST_WAIT = 1800  # to make a failure smaller takes a while
Job = tuple[str, str, str, tuple[str, ...]]
Worked = tuple[Counted, list[str], int]


def work(job: Job) -> Worked:
    """Prove one batch; return its counts, its failures as text, and how many programs failed.

    What others wrote for other things may change what all code of a process sees (a module's names, a hook): it runs in
    a process of its own, so that the batches behind it don't meet that; and is ended where it does not come back.
    """
    if int(job[2].split(":")[1]) % 5 != 4:
        try:
            return prove(job)
        except Exception as error:  # told with its batch, and the others go on
            return Counted(), [f"{job} raised {type(error).__name__}: {error}"], 1
    read, write = os.pipe()
    child = os.fork()
    if not child:
        # A text as long as a moment is a number of seconds is an error there, not the end of the process.
        most = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize() + _MEMORY
        resource.setrlimit(resource.RLIMIT_AS, (most, most))
        # Threads that handlers left are not in a copy, and whoever waits for one of their locks waits for ever.
        signal.alarm(_LONGEST_BATCH)
        try:
            with os.fdopen(write, "wb") as pipe:
                pickle.dump(prove(job), pipe)
        finally:
            os._exit(0)
    os.close(write)
    with os.fdopen(read, "rb") as pipe:
        data = pipe.read()
    status = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    worked: Worked = pickle.loads(data) if data else (Counted(), [f"{job} ended its process: {status}"], 1)
    return worked


def prove(job: Job) -> Worked:
    """Prove one batch in this process."""
    source, kind, seed, wanted = job
    counted = Counted()
    profile = next(one for one in sources() if one.name == source)
    made = programs(profile, kind, seed)
    with Bench() as bench:
        there = targets(profile, kind, fresh=fresh_of(seed))
        there = [one for one in there if not wanted or one.name in wanted]
        found = bench.prove(made, there, counted)
        first = {one.name: one for one in reversed(found)}
        shown = [f"{kind} {seed}:{name[1:]} {told(bench, made[name], one)}" for name, one in first.items()]
    return counted, shown, len(first)


def main(arguments: Sequence[str]) -> int:
    """Fuzz, print, and return the exit status."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=1.0)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    parser.add_argument("--from", dest="source", default="")
    parser.add_argument("--kind", default="")
    parser.add_argument("--ordinary", action="store_true", help="only functions that others wrote for other things")
    parser.add_argument("--to", action="append", default=[])
    parser.add_argument("--most", type=int, default=10, help="so many failures are shown")
    told = parser.parse_args(arguments)
    end, total, failed, made, shown = time.monotonic() + 60 * told.minutes, Counted(), 0, 0, 0

    def jobs() -> Iterator[tuple[str, str, str, tuple[str, ...]]]:
        for source, kind, seed in batches(told.seed):
            if time.monotonic() > end or shown >= told.most:
                return
            if told.ordinary and int(seed.split(":")[1]) % 5 != 4:
                continue
            if told.source in ("", source.name) and (kind if not told.kind else told.kind) in source.kinds:
                yield source.name, told.kind or kind, seed, tuple(told.to)

    began = time.monotonic()
    # Workers begin anew now and then: a copy of one that ran for long has its threads' locks, and little memory left.
    with multiprocessing.get_context("fork").Pool(2, maxtasksperchild=60) as pool:
        waiting, running = jobs(), deque[tuple[Job, AsyncResult[Worked]]]()
        while True:
            running.extend((job, pool.apply_async(work, (job,))) for job in islice(waiting, 4 - len(running)))
            if not running:
                break
            job, result = running.popleft()
            try:
                counted, texts, wrong = result.get(_LONGEST_WAIT)
            except multiprocessing.TimeoutError:  # a pool says nothing of a process that it has lost
                counted, texts, wrong = Counted(), [f"{job} never came back"], 1
            made += SIZE
            failed += wrong
            for name, value in vars(counted).items():
                setattr(total, name, getattr(total, name) + value)
            for text in texts:
                shown += 1
                if shown <= told.most:
                    print(text, flush=True)
    spent = time.monotonic() - began
    print(
        f"seed {told.seed}: {made:,} programs ({60 * made / spent:,.0f} a minute), {total.carried:,} carried, "
        f"{total.native / max(1, total.carried):.0%} native; {total.checks:,} checks: {total.same:,} same, "
        f"{total.unheld:,} unheld, {total.told:,} told, {total.unchecked:,} unchecked; "
        f"{failed:,} programs came out otherwise untold"
    )
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
