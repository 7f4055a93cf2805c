"""A trivial handler served, beside the same one written for uvicorn alone: requests a second, by so many connections.

Run: .venv/bin/python benchmarks/serve_speed.py [SECONDS]
Printed: requests a second of both, their ratio, and how much memory the server took more from the first to the last.
"""

from __future__ import annotations

import asyncio
import contextlib
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

CONNECTIONS = 50
ALONE = """
async def app(scope, receive, send):
    while (await receive()).get("more_body"):
        pass
    await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"2")]})
    await send({"type": "http.response.body", "body": b"ok"})
"""
REQUEST = b"GET /f/1 HTTP/1.1\r\nhost: a\r\n\r\n"


async def one(port: int, ends: float) -> int:
    """Return how many requests one connection came to."""
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    count = 0
    while time.perf_counter() < ends:
        writer.write(REQUEST)
        await reader.readuntil(b"\r\n\r\n")
        await reader.readexactly(2)
        count += 1
    writer.close()
    return count


async def rate(port: int, seconds: float) -> float:
    """Return how many requests a second are answered."""
    await asyncio.gather(*(one(port, time.perf_counter() + 0.5) for _ in range(CONNECTIONS)))
    ends = time.perf_counter() + seconds
    return sum(await asyncio.gather(*(one(port, ends) for _ in range(CONNECTIONS)))) / seconds


@contextlib.contextmanager
def running(words: list[str], folder: Path, port: int) -> Iterator[int]:
    """Run a server, and give its process's number once it listens."""
    with subprocess.Popen(words, cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as server:
        try:
            for _ in range(100):
                with contextlib.suppress(OSError):
                    asyncio.run(one(port, 0))
                    break
                time.sleep(0.1)
            yield server.pid
        finally:
            server.terminate()


def memory(process: int) -> float:
    """Return the memory of a process, in MiB."""
    status = Path(f"/proc/{process}/status").read_text()
    return int(status.partition("VmRSS:")[2].split()[0]) / 1024


def main() -> None:
    """Print both rates."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 5.0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "alone.py").write_text(ALONE)
        (folder / "p").mkdir()
        (folder / "p" / "h.py").write_text('def run(event, ctx):\n    return {"code": 200, "content": "ok"}\n')
        (folder / "p" / "ostermere.yaml").write_text(
            "app: a\njobs:\n  f: {code: h.py#run, when: [{web: GET /f/{x}}]}\n".replace(
                "{web: GET /f/{x}}", '{web: "GET /f/{x}"}'
            )
        )
        python = [sys.executable, "-m"]
        with running([*python, "uvicorn", "alone:app", "--port", "8871", "--log-level", "error"], folder, 8871):
            alone = asyncio.run(rate(8871, seconds))
        words = [*python, "vast_ferry", "serve", "p", "--from", "ostermere@1", "--port", "8872"]
        with running(words, folder, 8872) as process:
            before = memory(process)
            ours = asyncio.run(rate(8872, seconds))
            more = memory(process) - before
    print(
        f"{CONNECTIONS} connections: uvicorn alone {alone:,.0f} a second, served {ours:,.0f}: {ours / alone:.2f} of it"
    )
    print(f"memory: {more:+.1f} MiB over {ours * seconds:,.0f} calls")


if __name__ == "__main__":
    main()
