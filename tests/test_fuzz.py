"""Generated handlers, and ordinary functions made handlers: each comes out the same at its target, or is told of.

A fixed share of what `make fuzz` runs for as long as it is given.
"""

from __future__ import annotations

import ast
import os
import subprocess
import sys
from dataclasses import replace
from itertools import islice
from pathlib import Path

import fuzz_grammar
import pytest
from conftest import WHOLE, some
from fuzz import MANUALS, batches, fresh_of, programs, targets
from fuzz_grammar import Piece, Program, Surface, program
from fuzz_inside import Bench, Counted, write_programs
from planted import MISTAKES, ROOT, WHERE

from vast_ferry import find_profile

#: Batches of every provider and kind; a share of them in `make test`.
BATCHES = [one for one in islice(batches(20), 0, 80, 4 if WHOLE else 80) if one[1] in one[0].kinds]


@pytest.mark.parametrize(("source", "kind", "seed"), BATCHES, ids=lambda one: getattr(one, "name", one))
def test_generated_handlers_come_out_the_same_or_are_told_of(source: object, kind: str, seed: str) -> None:
    counted = Counted()
    made = programs(source, kind, seed, 5 if WHOLE else 2)  # type: ignore[arg-type]
    there = targets(source, kind, fresh=fresh_of(seed))  # type: ignore[arg-type]
    with Bench() as bench:
        untold = bench.prove(made, there, counted)
    assert not untold, f"{untold[0]}\n{made[untold[0].name].source('f')}"
    assert counted.carried == len(made) * len(there) > 0
    assert counted.same > counted.checks // 2


#: A change of a handler's text that means nothing.
CHANGES = ("named", "in a function", "dead code", "apart")


def changed(one: Program, how: str) -> Program:
    """Return a program that means the same."""
    if how == "dead code":
        dead = Piece(("if not seen and seen:", "    seen = None"), ("def nobody_calls_it(value):\n    return [value]",))
        return replace(one, pieces=(dead, *one.pieces))
    if how == "apart":
        return replace(one, pieces=tuple(Piece(tuple(_apart(piece.lines)), piece.top) for piece in one.pieces))
    if how == "named":
        named = Piece(tuple(f"{name}_too = {name}" for name in one.surface.parameters[:1]), ())
        event = one.surface.parameters[0]
        renamed = tuple(
            Piece(tuple(_renamed(line, event, f"{event}_too") for line in piece.lines), piece.top)
            for piece in one.pieces
        )
        return replace(one, pieces=(named, *renamed))
    return one


def _apart(lines: tuple[str, ...]) -> list[str]:
    """Give a name to what is shown, first."""
    made = []
    for number, line in enumerate(lines):
        before = line[: len(line) - len(line.lstrip())]
        if line.lstrip().startswith("seen.append(show(") and line.endswith("))"):
            inner = line.strip()[len("seen.append(show(") : -2]
            made += [f"{before}apart{number} = {inner}", f"{before}seen.append(show(apart{number}))"]
        else:
            made.append(line)
    return made


def _renamed(line: str, name: str, other: str) -> str:
    indent = line[: len(line) - len(line.lstrip())]
    try:
        tree = ast.parse(line.strip())
    except SyntaxError:  # a part of a statement
        return line
    for node in ast.walk(tree):
        if isinstance(node, ast.Name) and node.id == name:
            node.id = other
    return indent + ast.unparse(tree)


@pytest.mark.parametrize("how", some(["dead code", "apart", "named"], 3))
def test_a_change_that_means_nothing_changes_nothing(how: str) -> None:
    surface = Surface.of(find_profile("ostermere@1"), "http")
    # A change of the text is none of where the helpers stand, and of how they are asked for there.
    made = {
        f"f{at}": replace(program(surface, f"change:{at}"), way=-1 if at % 3 else at)
        for at in range(12 if WHOLE else 6)
    }
    there = [find_profile("thornwick"), find_profile("brackendale")]
    with Bench() as bench:
        before, after = Counted(), Counted()
        assert not bench.prove(made, there, before)
        assert not bench.prove({name: changed(one, how) for name, one in made.items()}, there, after)
    assert after.native >= before.native


FOLDERS = os.pathsep.join(sorted({str(path.parent) for path in MANUALS}))


@pytest.mark.slow
@pytest.mark.parametrize(("source", "kind", "seed"), BATCHES[1 :: 4 if WHOLE else 8])
def test_generated_handlers_are_carried_to_the_same_bytes_whatever_the_seed(
    source: object, kind: str, seed: str, tmp_path: Path
) -> None:
    made = programs(source, kind, seed, 6)  # type: ignore[arg-type]
    write_programs(made, tmp_path / "project")
    target = targets(source, kind, fresh=True)[0].name  # type: ignore[arg-type]
    command = ["carry", str(tmp_path / "project"), "--from", getattr(source, "name", ""), "--to", target]
    found = set()
    for hashes in ("0", "1", "2"):
        subprocess.run(
            [sys.executable, "-m", "vast_ferry", *command, "--out", str(tmp_path / "out"), "--replace"],
            env={**os.environ, "PYTHONHASHSEED": hashes, "VAST_FERRY_PROFILES": FOLDERS},
            check=False,
            capture_output=True,
        )
        files = sorted(path for path in (tmp_path / "out").rglob("*") if path.is_file())
        assert len(files) > len(made)
        found.add(b"".join(path.name.encode() + path.read_bytes() for path in files))
    assert len(found) == 1


def test_every_piece_is_generated() -> None:
    written = {
        name
        for name, one in vars(fuzz_grammar).items()
        if getattr(one, "__annotations__", {}) == PIECE and callable(one)
    }
    assert written - {"answered", "answered_by_shape", "answered_in_a_list", "kept_as_effect", "said_of_one"} == {
        one.__name__ for one in fuzz_grammar.PIECES
    }


#: What a function that writes a piece takes and gives.
PIECE = fuzz_grammar.said.__annotations__


def test_each_mistake_to_be_planted_stands_once() -> None:
    stale = [
        name for name, (file, before, _) in MISTAKES.items() if (ROOT / WHERE / file).read_text().count(before) != 1
    ]
    assert not stale
