"""What a handler can't do while it is checked, what it leaves behind, and how a check ends when it is told to."""

from __future__ import annotations

import functools
import os
import signal
import socket
import subprocess
import sys
import textwrap
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from conftest import Project, definition, request, some

from vast_ferry import StandIn, carry, check, find_profile
from vast_ferry.checking.compare import Verdict
from vast_ferry.hub.functions import Entry
from vast_ferry.hub.http import HttpEvent
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.standins.frames import Call
from vast_ferry.standins.process import Worker, not_held
from vast_ferry.standins.sandbox import told as in_words
from vast_ferry.standins.scratch import PREFIX
from vast_ferry.standins.stand_in import stand_in_setup

contained = pytest.mark.skipif(bool(not_held()), reason="this system has no user namespaces")
EVENT = HttpEvent("1", "2026-01-01T00:00:00Z").as_fields()


@pytest.fixture
def port() -> Iterator[int]:
    with socket.socket() as listening:
        listening.bind(("127.0.0.1", 0))
        listening.listen()
        yield listening.getsockname()[1]
        listening.settimeout(0.05)
        with pytest.raises(TimeoutError):
            listening.accept()


def ended(tmp_path: Path, body: str, limit: float = 3.0, head: str = "") -> str:
    """Return what came of a handler with this body: what it answered, or how it failed."""
    text = f"{head}\ndef run(event, ctx):\n" + textwrap.indent(body, "    ") + "\n"
    (tmp_path / "h.py").write_text(text)
    with StandIn("ostermere@1", tmp_path, "h.py#run", limit=limit, memory=32) as stand_in:
        outcome = stand_in.call("http", EVENT)
    answered = outcome.reply.body.decode() if outcome.reply else f"{outcome.ending} {outcome.error} {outcome.message}"
    return f"{answered} {outcome.unseen}"


#: ways to the network: each ends with what the system says
NETWORK = {
    "connect": ("import socket; s = socket.socket(); s.connect(('127.0.0.1', PORT))", "no network"),
    "connect_ex": ("import socket; s = socket.socket(); s.connect_ex(('127.0.0.1', PORT))", "no network"),
    "udp": ("import socket; socket.socket(type=socket.SOCK_DGRAM).sendto(b'x', ('127.0.0.1', PORT))", "unreachable"),
    "below": ("import _socket; s = _socket.socket(); s.connect(('127.0.0.1', PORT))", "unreachable"),
    "reload": (
        "import importlib, socket; importlib.reload(socket); socket.socket().connect(('127.0.0.1', PORT))",
        "unreachable",
    ),
    "super": (
        "import _socket, socket\nclass S(socket.socket): pass\n"
        "s = S(); return str(_socket.socket.connect_ex(s, ('127.0.0.1', PORT)))",
        "101",
    ),
    "python": (
        "import subprocess, sys; return subprocess.run([sys.executable, '-c', 'import socket; "
        'socket.create_connection(("127.0.0.1", PORT))\'], capture_output=True, text=True).stderr',
        "unreachable",
    ),
    "shell": (
        "import subprocess; return subprocess.run(['bash', '-c', 'echo > /dev/tcp/127.0.0.1/PORT'], "
        "capture_output=True, text=True).stderr",
        "unreachable",
    ),
    "ctypes": (
        "import ctypes, os, struct; c = ctypes.CDLL(None, use_errno=True); s = c.socket(2, 1, 0)\n"
        "a = struct.pack('=HH4s8x', 2, ((PORT & 255) << 8) | (PORT >> 8), bytes([127, 0, 0, 1]))\n"
        "return str((c.connect(s, a, 16), os.strerror(ctypes.get_errno())))",
        "unreachable",
    ),
}


@contained
@pytest.mark.parametrize("way", NETWORK)
def test_no_way_leads_to_the_network(tmp_path: Path, port: int, way: str) -> None:
    body, says = NETWORK[way]
    assert says in ended(tmp_path, body.replace("PORT", str(port)))


@contained
def test_nothing_of_the_machine_can_be_read_or_written(tmp_path: Path) -> None:
    (tmp_path / "key").write_text("PRIVATE")
    outside = tmp_path / "handler"
    outside.mkdir()
    for body, says in [
        (f"return open({str(tmp_path / 'key')!r}).read()", "No such file"),
        (f"open({str(outside / 'h.py')!r}, 'w')", "No such file"),
        ("open('/usr/written', 'w')", "Read-only"),
        ("return repr(__import__('os').listdir('/root') if __import__('os').getuid() else [])", "[]"),
        ("import os; return open('/proc/1/environ').read()", "denied"),
        ("import os; return str(sorted(n for n in os.listdir('/proc') if n.isdigit()))", "['1', '2']"),
        ("import os; os.kill(1, 9); return 'alive'", "alive"),
        ("import ctypes; return str(ctypes.CDLL(None).mount(None, b'/usr', None, 32 | 4096, None))", "-1"),
        ("return open('/srv/project/h.py').read()[:4]", "\ndef"),
        ("open('written', 'w').write('x'); return open('written').read()", "x"),
    ]:
        assert says in ended(outside, body), body
    assert os.listdir(outside) == ["h.py"]


#: too much of something → what is said
TOO_MUCH = {
    "memory": ("x = [bytearray(1 << 20) for n in range(1000)]", "MemoryError"),
    "memory of children": (
        "import os, time\nfor n in range(8):\n    if not os.fork():\n        x = [bytearray(b'1' * (1 << 20)) "
        "for i in range(100)]; time.sleep(5)\ntime.sleep(5)",
        "MiB of memory and was ended",
    ),
    "processes": (
        "import os, time\nwhile True:\n    try: os.fork()\n    except OSError: time.sleep(0.01)",
        "processes",
    ),
    "files": ("for n in range(100): open(f'/tmp/{n}', 'wb').write(b'x' * (10 << 20))", "No space left"),
    "one file": ("open('/tmp/x', 'wb').write(b'x' * (200 << 20))", "File too large"),
    "print": ("while True: print('x' * 100_000)", "File too large"),
    "time": ("while True: pass", "did not end within"),
}


@contained
@pytest.mark.parametrize("what", TOO_MUCH)
def test_what_a_handler_takes_is_bounded(tmp_path: Path, what: str) -> None:
    body, says = TOO_MUCH[what]
    assert says in ended(tmp_path, body, limit=0.5 if what == "time" else 20.0)


#: stops a process and all that it started, in the middle of what they do, and lets them go on a while later
PAUSE = """
import os, pathlib, signal, sys, time
parents = {}
time.sleep(0.5)
for one in pathlib.Path("/proc").glob("[0-9]*/stat"):
    parents[int(one.parent.name)] = int(one.read_text().rpartition(")")[2].split()[1])
def started(number):
    return number == int(sys.argv[1]) or number in parents and started(parents[number])
ours = [one for one in parents if one != os.getpid() and started(one)]
for number in signal.SIGSTOP, signal.SIGCONT:
    for one in ours:
        os.kill(one, number)
    time.sleep(3)
"""


@pytest.mark.slow
@contained
def test_time_in_which_the_machine_lets_nobody_run_does_not_count(tmp_path: Path) -> None:
    used = "import time\nend = time.process_time() + 0.8\nwhile time.process_time() < end: pass\nreturn 'done'"
    with subprocess.Popen([sys.executable, "-c", PAUSE, str(os.getpid())]):
        began = time.monotonic()
        assert "done" in ended(tmp_path, used, limit=2.5)
        assert time.monotonic() - began > 3


def test_an_import_that_does_not_end_is_broken_off(project: Project, tmp_path: Path) -> None:
    folder = project(
        {
            "ostermere.yaml": definition(a="h.py#a"),
            "h.py": "while True: pass\ndef a(event, ctx): return 'ok'\n",
            "samples/a/one.http": request(),
        }
    )
    carry(folder, to="wsgi", out=tmp_path / "out", style="wrapped")
    start = time.monotonic()
    result = check(tmp_path / "out", limit=0.2)
    assert time.monotonic() - start < 10
    assert "did not end within 1 s" in result.checked[0].reasons[0]


FORGED = {
    "garbage": "os.write(n, b'garbage' * 10)",
    "a line": 'os.write(n, b\'{"ending": "replied", "reply": 5}\\n\')',
    "a frame": "m = b'{\"ending\": \"replied\"}'; os.write(n, struct.pack('!IQ8s', len(m), 0, b'k' * 8) + m)",
}


@pytest.mark.parametrize("what", FORGED)
def test_what_a_handler_writes_to_the_tool_is_no_answer(tmp_path: Path, what: str) -> None:
    body = (
        f"import os, struct\nfor n in range(3, 1024):\n    try: {FORGED[what]}\n    except OSError: pass\nreturn 'mine'"
    )
    assert "mine" in ended(tmp_path, body)


UNSEEN = {
    "import threading, time\nthreading.Thread(target=lambda: time.sleep(9), daemon=True).start()\nreturn 'x'": (
        "leaves a thread that goes on",
        "h.py:4",
    ),
    "import atexit\natexit.register(print)\nreturn 'x'": ("leaves something to be done at exit", "h.py:4"),
    "import subprocess\nsubprocess.run(['true'])\nreturn 'x'": ("starts another program", "h.py:4"),
    "import os\npid = os.fork()\nif not pid: os._exit(0)\nreturn 'x'": ("starts another process", "h.py:4"),
    "from concurrent.futures import ThreadPoolExecutor as P\np = P(1)\np.submit(int).result()\nreturn 'x'": ("", ""),
    "import tempfile\nwith tempfile.TemporaryDirectory(): pass\nreturn 'x'": ("", ""),
}


@pytest.mark.parametrize("body", UNSEEN)
def test_what_can_not_be_seen_is_told_with_its_line(tmp_path: Path, body: str) -> None:
    what, line = UNSEEN[body]
    got = ended(tmp_path, body)
    assert (f"('{what}', '{line}')" in got) if what else got.endswith("()")


def test_a_call_whose_answer_is_not_read_is_an_effect(project: Project, tmp_path: Path) -> None:
    call = "import http.client\nc = http.client.HTTPSConnection('a.example')\nc.request('POST', '/x', b'hello')\n"
    folder = project({"h.py": f"def run(event, ctx):\n{textwrap.indent(call, '    ')}    return 'x'\n"})
    with StandIn("ostermere@1", folder, "h.py#run") as stand_in:
        (effect,) = stand_in.call("http", EVENT).effects
    told = effect.operation, effect.fields["url"], effect.fields["body"]
    assert told == ("http.call", "https://a.example/x", b"hello")


HANDLERS = """
import os, time, datetime, subprocess
n = 0
def counter(event, ctx):
    text = open("count").read() if os.path.exists("count") else "0"
    open("count", "w").write(str(int(text) + 1))
    return text
def clock(event, ctx): return datetime.datetime.now().isoformat(timespec="seconds")
def keyed(event, ctx): return event["never"]["there"]
def starts(event, ctx):
    subprocess.run(["true"])
    return "x"
def warm(event, ctx):
    global n
    n += 1
    return f"{n} {event['ticket']}"
"""


def test_verdicts_rest_on_what_handlers_do_and_on_nothing_else(project: Project, tmp_path: Path) -> None:
    names = ["counter", "clock", "keyed", "starts", "warm"]
    files: dict[str, str | bytes] = {
        "ostermere.yaml": definition(**{name: f"h.py#{name}" for name in names}),
        "h.py": HANDLERS,
    }
    files |= {f"samples/{name}/{number}.http": request(f"/{name}/{number}") for name in names for number in range(4)}
    files["samples/counter/broken.http"] = b"GET\r\n"
    folder = project(files)
    carry(folder, to="wsgi", out=tmp_path / "out", style="wrapped")
    result = check(tmp_path / "out")
    verdicts = {(one.function, one.sample): one.verdict for one in result.checked}
    assert {verdict for (name, _), verdict in verdicts.items() if name in ("clock", "starts")} == {Verdict.SAME}
    assert {verdicts["counter", f"{number}.http"] for number in range(4)} == {Verdict.SAME}
    # A sample that can't be read is told, and the others go on; a function that always fails is not proven.
    assert verdicts["counter", "broken.http"] is Verdict.UNCHECKED
    assert (result.failing, result.good) == (("keyed",), False)
    assert "keyed" in result.unproven
    (finding,) = result.findings
    assert (finding.code, str(finding.place)) == ("effects-unseen", "h.py:11")
    # A ticket is made anew at each side, which is a loss; what the handler counts must not hide it, in any order.
    assert {verdicts["warm", f"{number}.http"] for number in range(4)} == {Verdict.UNHELD}
    for number, other in enumerate("dbca"):
        (folder / "samples" / "warm" / f"{number}.http").rename(folder / "samples" / "warm" / f"{other}.http")
    again = check(tmp_path / "out")
    assert {one.verdict for one in again.checked if one.function == "warm"} == {Verdict.UNHELD}


LOOPING = (
    "import os\ndef a(event, ctx):\n    if not os.fork():\n        os.setsid()\n        if os.fork(): os._exit(0)\n"
    "        while True: pass\n    while True: pass\n"
)


@pytest.mark.parametrize("number", some([signal.SIGTERM, signal.SIGINT, signal.SIGKILL], 3))
def test_a_check_that_is_told_to_end_leaves_nothing(project: Project, tmp_path: Path, number: int) -> None:
    job = definition(a="h.py#a").replace("longest: 1", "longest: 100")
    folder = project({"ostermere.yaml": job, "h.py": LOOPING, "samples/a/one.http": request()})
    carry(folder, to="wsgi", out=tmp_path / "out", style="wrapped")
    scratch = tmp_path / "scratch"
    scratch.mkdir()
    command = [sys.executable, "-m", "vast_ferry", "check", str(tmp_path / "out"), "--limit", "60"]
    heard = functools.partial(signal.signal, signal.SIGINT, signal.SIG_DFL)  # a shell's background ignores it
    environment = {**os.environ, "TMPDIR": str(scratch)}
    process = subprocess.Popen(command, env=environment, stderr=subprocess.PIPE, preexec_fn=heard)  # noqa: PLW1509
    until = time.monotonic() + 20
    while time.monotonic() < until and len(_running(scratch)) < 8:
        time.sleep(0.05)
    assert _running(scratch)
    start = time.monotonic()
    process.send_signal(number)
    _, said = process.communicate(timeout=10)
    assert time.monotonic() - start < 1
    assert (process.returncode, b"Traceback" in said) == (-number, False)
    until = time.monotonic() + 3
    while _running(scratch) and time.monotonic() < until:
        time.sleep(0.02)
    assert not _running(scratch)
    if number == signal.SIGKILL:  # what that leaves, the next run clears
        assert list(scratch.glob(f"{PREFIX}*"))
        subprocess.run([*command[:-1], "0.1"], env={**os.environ, "TMPDIR": str(scratch)}, check=False, timeout=60)
    assert not list(scratch.glob(f"{PREFIX}*"))


def _running(scratch: Path) -> list[str]:
    """Return the processes that a check with this scratch folder started."""
    found = []
    for path in Path("/proc").glob("[0-9]*"):
        try:
            line = (path / "cmdline").read_bytes().decode(errors="replace")
        except OSError:
            continue
        if "keeper.py" in line and str(scratch) in line:
            found.append(line)
    return found


def test_where_a_system_has_no_namespaces_the_report_says_what_is_not_held(project: Project, tmp_path: Path) -> None:
    folder = project(
        {
            "ostermere.yaml": definition(a="h.py#a"),
            "h.py": "def a(event, ctx):\n    open('x', 'a').write('x')\n    return open('x').read()\n",
            "samples/a/one.http": request(),
        }
    )
    carry(folder, to="wsgi", out=tmp_path / "out", style="wrapped")
    line = (
        f"echo 0 > /proc/sys/user/max_user_namespaces && exec {sys.executable} -m vast_ferry check {tmp_path / 'out'}"
    )
    done = subprocess.run(["unshare", "-Ur", "sh", "-c", line], capture_output=True, text=True, check=False)
    if "unshare" in done.stderr:
        pytest.skip("this system has no user namespaces at all")
    assert (done.returncode, "same 1" in done.stdout) == (0, True)
    said = " ".join(done.stdout.split())
    assert all(one.partition(" (")[0] in said for one in in_words(dict.fromkeys(("network", "files", "processes"), "")))
    assert not list(Path(folder).rglob("x"))


#: A handler that does what it is asked for, and answers with how many calls its process has had.
ASKED = """
import os, signal, threading, time
calls = []
def run(event, ctx):
    calls.append(event["call"]["path"])
    word = event["call"]["path"].strip("/")
    if word == "leave":
        os._exit(3)
    if word == "kill":
        os.kill(os.getpid(), signal.SIGKILL)
    if word == "sleep":
        time.sleep(60)
    if word == "thread":
        threading.Thread(target=time.sleep, args=(60,), daemon=True).start()
    if word == "raise":
        raise ValueError(word)
    return {"code": 200, "content": f"{len(calls)} {len(event['content'])}"}
"""


@pytest.mark.slow
def test_calls_that_are_sent_ahead_end_as_one_after_the_other(tmp_path: Path) -> None:
    """Whatever a call does to its process, those behind it are made as if nothing had been sent yet."""
    (tmp_path / "h.py").write_text(ASKED)
    odd = "raise a thread a leave a a kill sleep a thread leave sleep a big a huge huge a"
    words = ["a"] * 5 + odd.split(" ") + ["a"] * 40
    sizes = {"big": 20_000, "huge": 400_000}
    calls = [
        Call("http", (HttpEvent("1", path=f"/{word}", body=b"x" * sizes.get(word, 0)).as_fields(),)) for word in words
    ]
    setup = stand_in_setup(find_profile("ostermere@1"), tmp_path, Entry("h.py", "run"), ("http",))

    def told(outcome: Outcome) -> tuple[str, str, bytes]:
        return str(outcome.ending), outcome.message, outcome.reply.body if outcome.reply else b""

    with Worker(setup) as worker:
        alone = [told(worker.call(one, 0.4)) for one in calls]
    with Worker(setup) as worker:
        together = list(map(told, worker.calls(calls, 0.4)))
    assert together == alone
    assert [body for _, _, body in alone][:9] == [b"1 0", b"2 0", b"3 0", b"4 0", b"5 0", b"", b"7 0", b"8 0", b"1 0"]
    assert {ending for ending, _, _ in alone} == {"replied", "failed", "died", "timed out"}
