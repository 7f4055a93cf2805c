"""What the tests share: the real command, the demo project, crossings of it, and projects made up on the spot."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from vast_ferry import carry
from vast_ferry.demo import PROJECT

ROOT = Path(__file__).parent.parent

settings.register_profile("fast", max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("fast")

Run = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture(scope="session")
def run() -> Run:
    """Run the real command in a folder and return what came of it."""

    def call(
        *arguments: str | Path, cwd: Path | None = None, stdin: str = "", env: Mapping[str, str] | None = None
    ) -> subprocess.CompletedProcess[str]:
        clean = {
            name: value for name, value in os.environ.items() if name not in ("COLUMNS", "NO_COLOR", "FORCE_COLOR")
        }
        return subprocess.run(
            [sys.executable, "-m", "vast_ferry", *map(str, arguments)],
            cwd=cwd or ROOT,
            input=stdin,
            capture_output=True,
            text=True,
            timeout=120,
            env={**clean, **(env or {})},
            check=False,
        )

    return call


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


@pytest.fixture
def project(tmp_path: Path) -> Project:
    """Write a project of files into a new folder: a handler's text, samples, anything; return the folder."""

    def make(files: Mapping[str, str | bytes], name: str = "project") -> Path:
        folder = tmp_path / name
        for path, content in files.items():
            target = folder / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(content.encode() if isinstance(content, str) else content)
        return folder

    return make


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
