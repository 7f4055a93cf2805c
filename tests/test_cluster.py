"""Checks and conversions on a cluster: real workers of Dask, two processes here, against one machine alone."""

from __future__ import annotations

import json
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from conftest import Run

from vast_ferry import carry

CLUSTER = """
import sys
from distributed import LocalCluster

if __name__ == "__main__":
    cluster = LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None)
    print(cluster.scheduler_address, flush=True)
    sys.stdin.read()
"""
#: What a handler may do to the process that it runs in; each is a verdict, on a cluster as here.
HOSTILE = {
    "loops": "while True: pass",
    "exits": "import os; os._exit(3)",
    "killed": "import os, signal; os.kill(os.getpid(), signal.SIGKILL)",
    "eats": "x = bytearray(10_000_000_000); return {'code': 200, 'content': str(len(x))}",
    "closes": "import os; os.closerange(3, 600); return {'code': 200, 'content': 'closed'}",
    "patches": "import json; json.dumps = None; return {'code': 200, 'content': 'patched'}",
    "stays": "import threading; threading.Thread(target=lambda: __import__('time').sleep(60)).start(); return 'stays'",
    "talks": "print('x' * 3_000_000); return {'code': 200, 'content': 'talked'}",
    "works": "return {'code': 200, 'content': event['call']['path']}",
}


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """Run a scheduler with two workers, and give its address."""
    script = tmp_path_factory.mktemp("cluster") / "cluster.py"
    script.write_text(CLUSTER)
    with subprocess.Popen(
        [sys.executable, str(script)],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    ) as process:
        assert process.stdout is not None
        try:
            yield process.stdout.readline().strip()
        finally:
            process.terminate()


def verdicts(run_apart: Run, *words: str | Path) -> dict[str, Any]:
    """Return what a check prints; in a process of its own, for a client's threads would be in the way of forks."""
    done = run_apart("check", *words, "--format", "json")
    assert done.stdout, done.stderr
    printed: dict[str, Any] = json.loads(done.stdout)
    return printed


@pytest.fixture
def hostile(tmp_path: Path) -> Path:
    """Carry handlers that do whatever they can to their process."""
    here = tmp_path / "here"
    here.mkdir()
    jobs = []
    for name, body in HOSTILE.items():
        (here / f"{name}.py").write_text(f"def run(event, ctx):\n    {body}\n")
        jobs.append(f"  {name}: {{code: {name}.py#run, when: [{{web: GET /{name}}}]}}\n")
        (here / "samples" / name).mkdir(parents=True)
        (here / "samples" / name / "one.http").write_bytes(f"GET /{name} HTTP/1.1\r\nhost: a\r\n\r\n".encode())
    (here / "ostermere.yaml").write_text("app: a\njobs:\n" + "".join(jobs))
    carry(here, to="thornwick", out=tmp_path / "there", source="ostermere@1")
    return tmp_path / "there"


@pytest.mark.slow
def test_verdicts_are_those_of_one_machine_and_isolation_is_as_it_is(
    cluster: str, hostile: Path, run_apart: Run
) -> None:
    here = verdicts(run_apart, hostile, "--limit", "4")
    assert verdicts(run_apart, hostile, "--limit", "4", "--cluster", cluster) == here
    said = {one["function"]: one["verdict"] for one in here["samples"]}
    assert said.keys() == HOSTILE.keys()
    assert said["works"] == "same"
    assert len(set(said.values())) > 1


@pytest.mark.slow
def test_a_lost_worker_is_made_up_for(
    cluster: str, tmp_path: Path, ported: Callable[[str], Path], run_apart: Run
) -> None:
    many = tmp_path / "many" / "hive_weight"
    many.mkdir(parents=True)
    for number in range(4400):
        request = f"GET /hives/h-{number}/weight?day=d{number} HTTP/1.1\r\nhost: a.example\r\n\r\n"
        (many / f"{number:05}.http").write_bytes(request.encode())
    lose = (
        f"import os, signal, time; from distributed import Client; time.sleep(2); client = Client({cluster!r})\n"
        "os.kill(next(iter(client.run(os.getpid).values())), signal.SIGKILL); print('lost')"
    )
    with subprocess.Popen([sys.executable, "-c", lose], stdout=subprocess.PIPE, text=True) as losing:
        printed = verdicts(run_apart, ported("wsgi"), "--samples", tmp_path / "many", "--cluster", cluster)
        assert losing.communicate()[0] == "lost\n"
    assert [one["verdict"] for one in printed["samples"]] == ["same"] * 4400


@pytest.mark.slow
def test_lines_are_those_of_one_machine(cluster: str, run_apart: Run, tmp_path: Path) -> None:
    entry = {"ticket": "t", "at": 1, "line": "orders", "text": "", "packed": False, "form": "text/plain", "tries": 1}
    event: dict[str, Any] = {"kind": "line", "batch": [{**entry, "notes": {}, "group": None}]}
    lines = []
    for number in range(30_000):
        event["batch"][0] |= {"ticket": f"t-{number}", "text": f"order {number}"}
        lines.append(json.dumps(event))
    file = tmp_path / "events.jsonl"
    file.write_text("\n".join(lines) + "\n")
    words = ["event", "convert", str(file), "--from", "ostermere@1", "--to", "cloudevents", "--lines"]
    here, there = run_apart(*words), run_apart(*words, "--cluster", cluster)
    assert here.returncode == there.returncode == 0, there.stderr
    assert there.stdout == here.stdout
    assert there.stderr == here.stderr
    broken = tmp_path / "broken.jsonl"
    broken.write_text("\n".join([*lines[:10], "{", *lines[:10]]) + "\n")
    words[2] = str(broken)
    here, there = run_apart(*words), run_apart(*words, "--cluster", cluster)
    assert here.returncode == there.returncode == 2
    assert there.stderr == here.stderr


@pytest.mark.slow
def test_other_folders_there_are_one_message(cluster: str, hostile: Path) -> None:
    script = (
        "from vast_ferry import check; from vast_ferry.checking.jobs import Job\n"
        "from vast_ferry.hub.findings import BadInput\n"
        "Job.stamp = lambda job: 'another'\n"  # here, not in the workers
        f"try: check({str(hostile)!r}, cluster={cluster!r})\nexcept BadInput as error: print(error)"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=60, check=False)
    assert "is not what it is here" in done.stdout, done.stderr


def test_what_is_no_cluster_is_one_message(
    run: Run, monkeypatch: pytest.MonkeyPatch, ported: Callable[[str], Path]
) -> None:
    for address in ("tcp://127.0.0.1:1", "carrier://pigeon", "127.0.0.1", "tcp://127.0.0.1:99999"):
        done = run("check", ported("wsgi"), "--cluster", address)
        assert (done.returncode, done.stdout) == (2, "")
        assert f"no scheduler answers at {address}" in done.stderr
        assert done.stderr.count("\n") == 1
    # A client's threads would outlive it: what forks later in this process could wait for them for ever.
    assert not [one for one in threading.enumerate() if "IO loop" in one.name]
    monkeypatch.setitem(sys.modules, "distributed", None)
    assert "pip install 'vast-ferry[cluster]'" in run("check", ported("wsgi"), "--cluster", "tcp://127.0.0.1:1").stderr
    assert run("event", "convert", "-", "--from", "wsgi", "--to", "wsgi", "--cluster", "tcp://x:1").returncode == 2
