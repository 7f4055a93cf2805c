"""Handlers as people write them, carried everywhere and back: how they come out, and that they do the same."""

from __future__ import annotations

import ast
import shutil
from pathlib import Path

import corpus_cases as cases
import pytest

from vast_ferry import carry, check
from vast_ferry.checking.compare import Verdict
from vast_ferry.translate.python.nodes import walk

#: Why some handlers are wrapped wherever they go, and one of them what it has the emitted functions make.
WRAPPED = {
    "quillhaven/crud_routes": {"wrapped-awaits-inside"},  # functions without a name would have to wait
    "fennick/greet_script": {"wrapped-script"},
    "fennick/tidy_script": {"wrapped-script"},
    "brackendale/order_async": {"wrapped-never-there"},  # it asks what it never is: hasattr(happening, "text")
    "quillhaven/report_visit": {"wrapped-headers-unknown"},
    "thornwick/sheet_partial": {"wrapped-passed-on"},
    **{f"ostermere/admin_{way}": {"wrapped-no-service"} for way in ("app", "on", "router")},  # nothing lists keys there
    "marrowby/roll_helper": {"wrapped-bindings"},  # the output is handed to a helper
}
SHIMS = {
    "quillhaven/crud_routes",
    "ostermere/greet_dumped",
    "ostermere/note_packed",
    "ostermere/note_nullable",
    "marrowby/weigh_filled",  # what it leaves out has another type elsewhere
    "marrowby/tag_filled",  # it looks a header field up among pairs, and only as it happens to be spelt
}


#: Generators that were asynchronous, are plain where nothing awaits, and can't be made what they were: whoever goes
#: through what they give would have to wait. On the way back their handlers are wrapped.
PLAIN_GENERATORS = {"listing_stream", "listing_named"}


@pytest.mark.parametrize("target", cases.TARGETS)
@pytest.mark.parametrize("source", [*cases.SOURCES])
def test_every_handler_does_the_same_everywhere_or_what_differs_is_told(
    tmp_path: Path, source: str, target: str
) -> None:
    if cases.SOURCES[source] == target:
        return
    for pair in cases.run(source, target, tmp_path, cases.share_of(source, target)):
        for sample, verdict in pair.verdicts.items():
            assert verdict in ("same", "unheld") or cases.told_beforehand(pair, sample), (pair.handler, pair.told)
        if pair.style == "wrapped":
            assert {code for code in pair.codes if code.startswith("wrapped-")} == WRAPPED[pair.handler], pair.handler
        elif pair.style == "native with shim":
            assert pair.handler in SHIMS
            assert cases.explained(pair)
        else:
            assert pair.style == "native"


@pytest.mark.parametrize(
    ("source", "target"),
    [
        pytest.param("ostermere", "brackendale@1", marks=pytest.mark.slow),
        pytest.param("marrowby", "ostermere@1", marks=pytest.mark.slow),
        pytest.param("thornwick", "ostermere@1", marks=pytest.mark.slow),
        pytest.param("quillhaven", "marrowby@1", marks=pytest.mark.slow),
        pytest.param("brackendale", "thornwick@2", marks=pytest.mark.slow),
    ],
)
def test_there_and_back_they_still_do_the_same(tmp_path: Path, source: str, target: str) -> None:
    project = cases.build(source, tmp_path / "project")
    samples = [tmp_path / "samples"]
    shutil.copytree(project / "samples", samples[0])
    carried = carry(project, to=target, out=tmp_path / "there", source=cases.SOURCES[source])
    back = carry(tmp_path / "there", to=cases.SOURCES[source], out=tmp_path / "back")
    assert {one.name for one in back.record.functions} == set(cases.handlers(source))
    native = [one.name for one in back.record.functions if one.style == "native"]
    expected = set(cases.handlers(source)) - PLAIN_GENERATORS
    assert len(native) >= 0.8 * len(expected)
    for crossing in ("there", "back"):
        result = check(tmp_path / crossing, samples=samples)
        seen = {one.function for one in carried.findings if one.code == "base64-not-seen"}
        differ = {
            (one.function, one.sample): one.differences
            for one in result.checked
            if one.verdict is Verdict.DIFFERS and not (one.sample == "bytes.yaml" and one.function in seen)
        }
        assert not differ


@pytest.mark.slow
@pytest.mark.parametrize("source", [s for s in cases.SOURCES if s != "fennick"])
def test_the_samples_reach_every_line_of_every_handler(tmp_path: Path, source: str) -> None:
    project = cases.build(source, tmp_path / "project")
    for path in [*project.glob("*.py"), *project.glob("lib/*.py")]:
        # What runs while a file is loaded (decorators, say) is told with the first line that runs in a call.
        head = (
            "import sys as s, os as o\nseen_ = set()\nloaded_ = []\ndef t(f, e, a):\n"
            "    told = f'{f.f_code.co_filename.rpartition(chr(47))[2]}:{f.f_lineno}'\n"
            "    if e == 'line' and f.f_code.co_filename.startswith('/srv/') and told not in seen_:\n"
            "        seen_.add(told)\n        loaded_.append(told)\n        above = f\n"
            "        here = lambda code: code.co_name == '<module>' and code.co_filename.startswith('/srv/')\n"
            "        while above and not here(above.f_code):\n"
            "            above = above.f_back\n"
            "        if above is None:\n"
            "            o.write(2, (' '.join(loaded_) + '\\n').encode())\n            loaded_.clear()\n"
            "    return t\ns.settrace(t)\n"
            "import threading\nthreading.settrace(t)\n"
        )
        text = path.read_text()
        future = "from __future__ import annotations\n"
        path.write_text((future if future in text else "") + head + text.replace(future, ""))
    target = "thornwick@2" if source == "ostermere" else "ostermere@1"
    carry(project, to=target, out=tmp_path / "there", source=cases.SOURCES[source], style="wrapped")
    # A worker can write nowhere else: what it reached is what the wrapped handler printed.
    result = check(tmp_path / "there")
    assert not result.not_held
    reached = {word for one in result.checked for word in one.output.split()}
    missed = []
    for path in [*project.glob("*.py"), *project.glob("lib/*.py")]:
        for function in walk(ast.parse(path.read_text())):
            if not isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef) or function.name == "t":
                continue
            for node in (inner for statement in function.body for inner in walk(statement)):
                told = isinstance(node, ast.stmt) and not isinstance(
                    node, ast.FunctionDef | ast.Global | ast.Nonlocal | ast.Try
                )
                doc = isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
                line = getattr(node, "lineno", 0)
                if told and not doc and f"{path.name}:{line}" not in reached:
                    missed.append(f"{path.name}:{line}: {ast.unparse(node).splitlines()[0]}")
    assert not missed
