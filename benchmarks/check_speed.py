"""How long `check` takes on many samples of the demo's function, how much memory at its peak, and how fast it starts.

Run: python benchmarks/check_speed.py [SAMPLES]. Prints seconds, and MiB of all processes added up at the worst moment,
beside what is promised on two cores.
"""

from __future__ import annotations

import contextlib
import json
import resource
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

from vast_ferry.crossing.carry import carry
from vast_ferry.demo import copy_demo

COMMAND = [sys.executable, "-m", "vast_ferry"]


def make_samples(folder: Path, count: int) -> None:
    """Write `count` different requests for the demo's function."""
    target = folder / "hive_weight"
    target.mkdir(parents=True)
    for index in range(count):
        request = f"GET /hives/h-{index}/weight?day=mon&day=d%2F{index}&unit={'g' if index % 3 else ''} HTTP/1.1\r\n"
        fields = "Host: api.lindenfold.example\r\nAccept: application/json\r\nCookie: sid=1\r\n\r\n"
        (target / f"s{index:05}.http").write_bytes((request + fields).encode())


def memory_of(pid: int) -> int:
    """Return the memory, in KiB, that a process and all below it hold at this moment."""
    total = 0
    with contextlib.suppress(OSError, ValueError, IndexError):  # it may have just ended
        # What forked processes share counts once (proportional set size).
        status = Path(f"/proc/{pid}/smaps_rollup").read_text()
        total += int(status.partition("Pss:")[2].split()[0])
        for task in Path(f"/proc/{pid}/task").iterdir():
            for child in (task / "children").read_text().split():
                total += memory_of(int(child))
    return total


def main() -> int:
    """Print the figures; end with 1 where one is not as good as promised."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    with tempfile.TemporaryDirectory() as name, contextlib.chdir(name):
        copy_demo(Path())
        carry("apiary", to="wsgi", out="ported")
        make_samples(Path("many"), count)
        start = time.perf_counter()
        process = subprocess.Popen(
            [*COMMAND, "check", "ported", "--samples", "many", "--format", "json"], stdout=subprocess.PIPE
        )
        seen: list[int] = []
        done = threading.Event()

        def watch() -> None:
            while not done.wait(0.02):
                seen.append(memory_of(process.pid))

        watching = threading.Thread(target=watch)
        watching.start()
        out, _ = process.communicate()
        seconds = time.perf_counter() - start
        done.set()
        watching.join()
        counts = json.loads(out)["counts"]
        if counts["same"] != count:
            raise AssertionError(f"not every answer was the same: {counts}")
        total = max(seen) / 1024
        largest_child = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    starts = []
    for _ in range(9):
        start = time.perf_counter()
        subprocess.run([*COMMAND, "--version"], check=True, stdout=subprocess.DEVNULL)
        starts.append(time.perf_counter() - start)
    print(f"check, {count} samples          {seconds:7.2f} s    (under 5 s for 1,000)")
    print(f"peak of all processes        {total:7.0f} MiB  (under 200 MiB)")
    print(f"largest single process       {largest_child:7.0f} MiB")
    print(f"--version                    {sorted(starts)[4] * 1000:7.0f} ms   (under 150 ms)")
    return 0 if (seconds < 5 or count > 1000) and total < 200 and sorted(starts)[4] < 0.15 else 1


if __name__ == "__main__":
    sys.exit(main())
