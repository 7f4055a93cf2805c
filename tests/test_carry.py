"""`carry`: byte for byte, the same every time, all or nothing, and everything a person must know said."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import Project, Run, definition, request

from vast_ferry import BadInput, Crossing, carry, check
from vast_ferry.demo import PROJECT

HANDLER = "def f(event, ctx):\n    return 'ok'\n"


def tree(folder: Path) -> dict[str, bytes]:
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in folder.rglob("*") if path.is_file()}


@pytest.mark.parametrize("to", ["wsgi", "thornwick"])
def test_the_authors_files_are_carried_byte_for_byte_and_twice_the_same(ported: Callable[[str], Path], to: str) -> None:
    before, carried = tree(PROJECT), tree(ported(to))
    for path in ("handlers/hives.py", "handlers/inspections.py"):
        assert carried[path] == before[path]
    again = ported(to).parent / f"again-{to}"
    carry(PROJECT, to=to, out=again, style="wrapped")
    assert tree(again) == carried
    assert tree(PROJECT) == before
    assert not any(path.startswith("samples") or path == "ostermere.yaml" for path in carried)


def test_odd_files_are_carried_or_left_with_a_finding(project: Project, tmp_path: Path) -> None:
    odd = b"\xef\xbb\xbfdef f(event, ctx):\r\n\treturn 'ok'  # \xc3\xbc\r\n"
    folder = project(
        {
            "ostermere.yaml": definition(f="my-handlers/f.py#f", g="my-handlers/g.py#g"),
            "my-handlers/f.py": odd,
            "my-handlers/g.py": "def g(event, ctx):\n    yield event\n",
            "data/x.bin": b"\0\xff",
            ".env": "SCALE_KEY=real-secret",
            "requirements.txt": "made-up==1.0",
            "__pycache__/f.pyc": b"",
        }
    )
    (tmp_path / "outside.txt").write_text("outside")
    os.symlink(tmp_path / "outside.txt", folder / "link.txt")
    os.symlink(tmp_path, folder / "linked")
    crossing = carry(folder, to="wsgi", out=tmp_path / "out")
    carried = tree(tmp_path / "out")
    # What is rewritten stands where an import can name it; what is wrapped is as it was, and where it was.
    assert carried["my_handlers/f.py"].startswith(odd[:3])
    assert carried["my_handlers/f.py"].endswith(b"  # \xc3\xbc\r\n")
    assert carried["my-handlers/g.py"].startswith(b"def g(event, ctx)")
    assert [one.place.file for one in crossing.findings if one.code == "file-moved"] == ["my-handlers/f.py"]
    assert carried["data/x.bin"] == b"\0\xff"
    assert carried["requirements.txt"].startswith(b"made-up==1.0\n")
    assert not any(b"real-secret" in content or content == b"outside" for content in carried.values())
    left = {f.reason.split(" ")[0] for f in crossing.findings if f.code == "file-left-behind"}
    assert left == {".env", "link.txt", "linked"}


def carried(project: Project, tmp_path: Path, text: str, to: str = "wsgi", **files: str) -> Crossing:
    folder = project({"ostermere.yaml": text, "h.py": HANDLER, **files})
    return carry(folder, to=to, out=tmp_path / "out")


FINDINGS = [
    # what the definition says, target → codes of the findings that are not derived losses, and a part of the reason
    ("vars: {A: '1'}", "wsgi", {}, ""),
    ("sealed: {KEY: vault/a/b}", "wsgi", {"secret-to-set": "todo"}, "(reference a/b)"),
    ("longest: 400", "thornwick@1", {"runs-too-long": "blocking"}, "may run 400 s, and Thornwick 1 ends"),
    ("longest: 400", "wsgi", {}, ""),
]


@pytest.mark.parametrize(("line", "to", "codes", "reason"), FINDINGS)
def test_findings(project: Project, tmp_path: Path, line: str, to: str, codes: dict[str, str], reason: str) -> None:
    text = f"app: a\njobs:\n  f:\n    code: h.py#f\n    {line}\n    when: [{{web: GET /a}}]\n"
    crossing = carried(project, tmp_path, text, to)
    ours = {f.code: f for f in crossing.findings if f.place.file}
    expected = dict(codes)
    assert {code: str(f.severity) for code, f in ours.items()} == expected
    assert reason in " ".join(f.reason for f in ours.values())
    assert all(f.place.line and f.remedy for f in ours.values())
    assert crossing.blocking == ("blocking" in codes.values())


def test_variables_that_two_functions_set_differently_are_a_finding(project: Project, tmp_path: Path) -> None:
    text = (
        "app: a\njobs:\n  f: {code: h.py#f, vars: {UNIT: kg, SAME: x}, when: [{web: GET /f}]}\n"
        "  g: {code: h.py#f, vars: {UNIT: lb, SAME: x}, when: [{web: GET /g}]}\n"
    )
    crossing = carried(project, tmp_path, text)
    (conflict,) = [f for f in crossing.findings if f.code == "variable-conflict"]
    assert (conflict.place.line, conflict.function, crossing.blocking) == (4, "g", True)
    assert "'lb'" in conflict.reason
    assert "'kg'" in conflict.reason
    for_each = carry(tmp_path / "project", to="thornwick", out=tmp_path / "there")
    assert not [f for f in for_each.findings if f.code == "variable-conflict"]


@pytest.mark.parametrize("callers", ["key", "members"])
def test_a_function_that_not_everyone_may_call_is_not_opened_in_silence(
    project: Project, tmp_path: Path, callers: str
) -> None:
    text = f"app: a\njobs:\n  f: {{code: h.py#f, when: [{{web: GET /f, callers: {callers}}}]}}\n"
    crossing = carried(project, tmp_path, text)
    assert [f.code for f in crossing.findings if f.severity == "blocking"] == ["callers-open"]
    there = carry(tmp_path / "project", to="thornwick", out=tmp_path / "there")
    assert not there.blocking
    assert (
        f'open_to = "{dict(key="token", members="staff")[callers]}"'
        in (tmp_path / "there" / "thornwick.toml").read_text()
    )


def test_what_the_code_imports_from_its_provider_is_found(project: Project, tmp_path: Path) -> None:
    crossing = carried(
        project,
        tmp_path,
        definition(f="h.py#f"),
        **{
            "lib/store.py": "import os\nfrom ostermere import books, nothing\n\nbooks.read('a', {'b': 1})\n",
            "broken.py": "def (:\n",
            "x.py": "import ostermere as o\n\no.jobs.ask('sum')\n",
        },
    )
    found = [(f.code, str(f.place)) for f in crossing.findings if f.code in ("client-not-carried", "not-python")]
    assert sorted(found) == [
        ("client-not-carried", "lib/store.py:2:1"),
        ("client-not-carried", "x.py:3:1"),
        ("not-python", "broken.py:1:5"),
    ]


def test_names_of_functions_are_only_ever_data(project: Project, tmp_path: Path) -> None:
    names = ['a"""; import os; """', "a-b", "a_b", "class", "ü", "a\\", "{{ 1 }}"]
    jobs = {name: {"code": "h.py#f", "when": [{"web": f"GET /{index}/x"}]} for index, name in enumerate(names)}
    text = json.dumps({"app": '"""x', "jobs": jobs})
    samples = {
        f"samples/{names[1]}/one.http": request("/1/x").decode(),
        f"samples/{names[2]}/two.http": request("/2/x").decode(),
    }
    folder = project({"ostermere.yaml": text, "h.py": "def f(event, ctx):\n    return ctx.job\n", **samples})
    for to in ("wsgi", "thornwick"):
        crossing = carry(folder, to=to, out=tmp_path / to, style="wrapped")
        assert len({function.carried_entry for function in crossing.record.functions}) == len(names)
        for path, content in crossing.files.items():
            if path.endswith(".py"):
                compile(content, path, "exec")
        result = check(tmp_path / to)
        assert [(one.sample, one.verdict) for one in result.checked] == [("one.http", "same"), ("two.http", "same")]


def test_functions_whose_events_the_target_has_not_are_left_behind(project: Project, tmp_path: Path) -> None:
    text = definition(f="h.py#f") + "  night: {code: h.py#f, when: [{clock: every 15 minutes}]}\n"
    crossing = carried(project, tmp_path, text)
    assert crossing.record.left_behind == ["night"]
    (left,) = [f for f in crossing.findings if f.function == "night"]
    assert (left.code, left.reason) == (
        "function-left-behind",
        "night was not carried: WSGI has no schedule events",
    )
    assert crossing.blocking


REFUSED = [
    # changes to a good project, options → what the message says, and where
    ({"ostermere.yaml": None}, {}, "there is no definition file"),
    ({"h.py": None}, {}, "function f points to h.py, which is not there"),
    ({"h.py": None, "hh.py": HANDLER}, {}, "did you mean 'hh.py'"),
    ({"h.py": "def g(event, ctx): pass\n"}, {}, "points to 'f', which h.py does not define"),
    ({"h.py": "def f(:\n"}, {}, "h.py:1:7: the file is not Python"),
    ({}, {"to": "thornwik"}, "did you mean 'thornwick'"),
    ({}, {"to": "ostermere@1"}, "the project is at Ostermere 1 already"),
    ({}, {"source": "wsgi"}, "has no definition file to read"),
    ({}, {"out": "full"}, "not empty and holds no crossing"),
    ({}, {"out": "crossed"}, "already holds a crossing"),
    ({}, {"out": "file"}, "is a file"),
    ({}, {"out": "project"}, "is the project itself"),
    ({}, {"out": "."}, "or holds it"),
    ({}, {"out": "project/out"}, "lies in the project"),
    ({"ostermere.yaml": "app: a\njobs:\n  f: {code: h.py#f}\n"}, {}, "no function that can be carried"),
]


@pytest.mark.parametrize(("files", "options", "says"), REFUSED, ids=[says[:30] for _, _, says in REFUSED])
def test_bad_input_is_one_message_and_nothing_is_written(
    project: Project, tmp_path: Path, run: Run, files: dict[str, str | None], options: dict[str, str], says: str
) -> None:
    good: dict[str, str | None] = {"ostermere.yaml": definition(f="h.py#f"), "h.py": HANDLER, "readme": ""}
    folder = project({path: text for path, text in {**good, **files}.items() if text is not None})
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "mine.txt").write_text("mine")
    (tmp_path / "file").write_text("mine")
    (tmp_path / "crossed").mkdir()
    (tmp_path / "crossed" / "crossing.json").write_text('{"made_by": "vast-ferry"}')
    before = tree(tmp_path)
    arguments = ["carry", folder.name, "--to", options.get("to", "wsgi"), "--out", options.get("out", "new/out")]
    arguments += ["--from", options["source"]] if "source" in options else []
    arguments += ["--style", options["style"]] if "style" in options else []
    done = run(*arguments, cwd=tmp_path)
    assert (done.returncode, done.stdout) == (2, "")
    assert says in done.stderr
    assert len(done.stderr.splitlines()) == 1
    assert tree(tmp_path) == before
    assert not (tmp_path / "new").exists()


def test_a_crossing_is_replaced_whole_and_only_if_asked(project: Project, tmp_path: Path) -> None:
    folder = project({"ostermere.yaml": definition(f="h.py#f"), "h.py": HANDLER})
    carry(folder, to="wsgi", out=tmp_path / "out")
    (tmp_path / "out" / "stale.py").write_text("")
    with pytest.raises(BadInput, match="already holds a crossing"):
        carry(folder, to="wsgi", out=tmp_path / "out")
    carry(folder, to="thornwick", out=tmp_path / "out", replace_out=True, style="wrapped")
    assert sorted(path for path in os.listdir(tmp_path / "out") if not path.startswith("__")) == [
        "crossing.json",
        "crossing.py",
        "f_at_thornwick.py",
        "h.py",
        "stale.py",  # which is not of the crossing, and so not ours to take away
        "thornwick.toml",
    ]
    assert not [path for path in os.listdir(tmp_path) if path.startswith(".")]


def test_a_crossing_that_fails_half_way_leaves_nothing(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = project({"ostermere.yaml": definition(f="h.py#f"), "h.py": HANDLER})
    carry(folder, to="wsgi", out=tmp_path / "out")
    before = tree(tmp_path)
    written = Path.write_bytes

    def full(self: Path, data: bytes) -> int:
        if self.name == "crossing.json":
            raise OSError(28, "No space left on device")
        return written(self, data)

    monkeypatch.setattr(Path, "write_bytes", full)
    with pytest.raises(BadInput, match="No space left on device"):
        carry(folder, to="thornwick", out=tmp_path / "out", replace_out=True)
    assert tree(tmp_path) == before


def test_the_record_says_what_was_written(ported: Callable[[str], Path]) -> None:
    import hashlib

    record = json.loads((ported("wsgi") / "crossing.json").read_text())
    files = tree(ported("wsgi"))
    assert {p: hashlib.sha256(c).hexdigest() for p, c in files.items() if p != "crossing.json"} == record["files"]
    assert (ported("wsgi") / record["source"]["project"]).resolve() == PROJECT.resolve()
