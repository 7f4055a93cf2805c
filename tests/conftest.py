"""What the tests share: the real command, the demo project, crossings of it, and projects made up on the spot."""

from __future__ import annotations

import contextlib
import gc
import io
import os
import signal
import subprocess
import sys
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any
from zlib import crc32

import pytest
from hypothesis import HealthCheck, settings

from vast_ferry import Profile, carry, find_profile
from vast_ferry.cli.main import main
from vast_ferry.definitions.writing import write_definition
from vast_ferry.demo import PROJECT
from vast_ferry.hub.functions import Function
from vast_ferry.hub.functions import Project as Declared

ROOT = Path(__file__).parent.parent

#: Hundreds of thousands of objects stay for the whole run (profiles, pools, trees); not to be looked at each time.
gc.set_threshold(100_000, 20, 50)

#: In `make test-all` more is generated of everything that is generated.
WHOLE = os.environ.get("SHARE") == "whole"
settings.register_profile(
    "share", max_examples=60 if WHOLE else 25, deadline=None, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("share")

Run = Callable[..., subprocess.CompletedProcess[str]]


def some(cases: Iterable[Any], every: int) -> list[Any]:
    """Return a table's cases, of which `make test` takes each `every`-th; the others wait for `make test-all`."""
    return [
        case
        if at % every == 0
        else pytest.param(*(case if isinstance(case, tuple) else (case,)), marks=pytest.mark.slow)
        for at, case in enumerate(cases)
    ]


def _clean(env: Mapping[str, str] | None) -> dict[str, str]:
    left_out = ("COLUMNS", "NO_COLOR", "FORCE_COLOR")
    return {**{name: value for name, value in os.environ.items() if name not in left_out}, **(env or {})}


@pytest.fixture(scope="session")
def run_apart() -> Run:
    """Run the real command in a process of its own, in a folder, and return what came of it."""

    def call(
        *arguments: str | Path, cwd: Path | None = None, stdin: str = "", env: Mapping[str, str] | None = None
    ) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "vast_ferry", *map(str, arguments)],
            cwd=cwd or ROOT,
            input=stdin,
            capture_output=True,
            text=True,
            timeout=120,
            env=_clean(env),
            check=False,
        )

    return call


@pytest.fixture
def run(monkeypatch: pytest.MonkeyPatch) -> Iterator[Run]:
    """Run the command as `run_apart` does, but in this process, where everything is loaded already."""
    handlers = {number: signal.getsignal(number) for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)}

    def call(
        *arguments: str | Path, cwd: Path | None = None, stdin: str = "", env: Mapping[str, str] | None = None
    ) -> subprocess.CompletedProcess[str]:
        out, err = (io.TextIOWrapper(io.BytesIO(), encoding="utf-8", write_through=True) for _ in range(2))
        before, words = dict(os.environ), [str(word) for word in arguments]
        os.environ.clear()
        os.environ.update(_clean(env))
        status: Any = 0
        try:
            with monkeypatch.context() as patch, contextlib.chdir(cwd or ROOT):
                patch.setattr(sys, "argv", ["vast-ferry", *words])
                patch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(stdin.encode())))
                patch.setattr(sys, "stdout", out)
                patch.setattr(sys, "stderr", err)
                try:
                    main()
                except SystemExit as ended:
                    status = ended.code
        finally:
            os.environ.clear()
            os.environ.update(before)
        said = [stream.buffer.getvalue().decode().replace("\r\n", "\n") for stream in (out, err)]
        return subprocess.CompletedProcess(words, status or 0, *said)

    yield call
    for number, handler in handlers.items():
        signal.signal(number, handler)


@pytest.fixture(scope="session")
def ported(tmp_path_factory: pytest.TempPathFactory) -> Callable[[str], Path]:
    """Return the demo project carried to a provider, wrapped, once a session; nothing may be changed in it."""
    made: dict[str, Path] = {}

    def carried(to: str) -> Path:
        if to not in made:
            made[to] = tmp_path_factory.mktemp(to) / "ported"
            carry(PROJECT, to=to, out=made[to], style="wrapped")
        return made[to]

    return carried


Project = Callable[..., Path]


def put(folder: Path, files: Mapping[str, str | bytes]) -> Path:
    """Write files into a folder, which may be new, and return it."""
    for path, content in files.items():
        target = folder / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(content.encode() if isinstance(content, str) else content)
    return folder


@pytest.fixture
def project(tmp_path: Path) -> Project:
    """Write a project of files into a new folder: a handler's text, samples, anything; return the folder."""

    def make(files: Mapping[str, str | bytes], name: str = "project") -> Path:
        return put(tmp_path / name, files)

    return make


def declaring(source: str | Profile, *functions: Function, **files: str) -> dict[str, str | bytes]:
    """Return a project of a provider's that declares these functions, and their file: its ending → its text."""
    profile = find_profile(source) if isinstance(source, str) else source
    made = write_definition(Declared("made-up", functions=functions), profile)
    return {**made, **{f"h.{ending}": text for ending, text in files.items()}}


def definition(**jobs: str) -> str:
    """Return an ostermere.yaml with a GET job a keyword: name → handler file#function."""
    lines = ["app: made-up", "jobs:"]
    for name, code in jobs.items():
        lines.append(f"  {name}: {{code: {code}, longest: 1, when: [{{web: 'GET /{name}/{{one}}'}}]}}")
    return "\n".join(lines) + "\n"


def request(path: str = "/a/x", method: str = "GET", headers: str = "", body: bytes = b"") -> bytes:
    """Return a raw HTTP/1.1 request."""
    length = f"Content-Length: {len(body)}\r\n" if body else ""
    return f"{method} {path} HTTP/1.1\r\nHost: a.example\r\n{headers}{length}\r\n".encode("latin-1") + body


@pytest.fixture(autouse=True)
def _nothing_stays_imported(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """Forget what a test imported of what it carried: the next one carries modules of the same names."""
    before, made = set(sys.modules), str(tmp_path_factory.getbasetemp())
    yield
    for name in sys.modules.keys() - before:
        if str(getattr(sys.modules[name], "__file__", None) or "").startswith(made):
            del sys.modules[name]


#: Editions that are most like another of their provider: their laws are checked in `make test-all`.
TWINS = ("ostermere@2", "thornwick@1", "marrowby@1")
OF_EVERY_EDITION = ("test_laws.py", "test_kinds.py", "test_definitions.py")


#: Of what is left to the rest, CI takes a part, and at the next commit the next.
TURN, TURNS = os.environ.get("TURN", ""), 32


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave to `make test-all` what is nearly the same again, and a whole lint; say where it does more of a test."""
    _mark(items)
    if not TURN:
        return
    seen: dict[str, int] = {}
    left = []
    for item in items:
        name = item.nodeid.partition("[")[0]
        if item.get_closest_marker("slow") or item.get_closest_marker("share"):
            seen[name] = seen.get(name, crc32(name.encode())) + 1  # not the first of all at the same commit
            left += [item] if seen[name] % TURNS != int(TURN) % TURNS else []
    config.hook.pytest_deselected(items=left)
    items[:] = [item for item in items if item not in set(left)]


def _mark(items: list[pytest.Item]) -> None:
    for item in items:
        given = getattr(getattr(item, "callspec", None), "params", {}).values()
        twin = item.path.name in OF_EVERY_EDITION and any(value in TWINS for value in given if isinstance(value, str))
        if twin or item.name.startswith("test_lint_passes_on_a_good_profile"):
            item.add_marker(pytest.mark.slow)
        module, function = (getattr(item, one, None) for one in ("module", "function"))
        more = item.path.name == "test_corpus.py" or {"WHOLE", "SHARE"} & vars(module).keys()
        if more or hasattr(function, "hypothesis"):
            item.add_marker(pytest.mark.share)
