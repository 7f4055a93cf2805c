"""The keeper: one process that has loaded what every worker needs, and forks a worker whenever it is asked for one.

Run by path, never imported. To start an interpreter takes twenty times as long as to fork one that is there. It talks
over a socket: a message is what a worker may take, with two sockets of the worker's own, `talk` for its calls and
`life`, whose other end only the tool holds. Between keeper and worker stands a minder, the first process of the
worker's namespace: when the tool lets go of `life`, or ends in whatever way, the minder ends, and the system ends with
it everything that was ever started in there.
"""

from __future__ import annotations

import array
import contextlib
import gc
import importlib.util
import json
import os
import select
import signal
import socket
import sys
from types import ModuleType
from typing import Any

#: A minder looks so often at what its worker takes, in seconds.
LOOKS_EVERY = 0.05
FEW = 12


def load(name: str) -> ModuleType:
    """Return the module in a file beside this one."""
    path = os.path.join(os.path.dirname(os.path.abspath(__file__)), f"{name}.py")
    spec = importlib.util.spec_from_file_location(f"_stand_in_{name}", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    return module


sandbox = load("sandbox")
services = load("services")
node_side = load("node_side")
worker = load("worker")

#: What could not be had of a sandbox, and why.
without: dict[str, str] = {}
#: What a worker can read.
folders: list[str] = []


def receive(line: socket.socket) -> tuple[dict[str, Any], list[int]]:
    """Return the next message and the descriptors that came with it; nothing once the tool has gone."""
    data, extra, _, _ = line.recvmsg(1 << 20, socket.CMSG_SPACE(2 * array.array("i").itemsize))
    descriptors = array.array("i")
    for level, kind, content in extra:
        if (level, kind) == (socket.SOL_SOCKET, socket.SCM_RIGHTS):
            descriptors.frombytes(content[: len(content) - len(content) % descriptors.itemsize])
    return (json.loads(data) if data else {}), list(descriptors)


def mind(life: int, talk: int, wanted: dict[str, Any], home: str) -> None:
    """Be the minder of one worker: start it, watch what it takes, and end with it or with the tool."""
    first = 1 if "processes" not in without else os.getpid()
    places = {"folder": wanted["folder"], "scratch": wanted["scratch"], "services": wanted["services"]}
    if "files" not in without:
        sandbox.enter_root(home, wanted["folder"], folders)
        places = {"folder": sandbox.PROJECT, "scratch": sandbox.SCRATCH, "services": sandbox.SERVICES}
        sandbox.give_up_privileges()  # for good, and so for the worker too
    child = os.fork()
    if not child:
        os.close(life)
        os.setsid()
        sandbox.die_with_parent()
        sandbox.bound(wanted["memory"] + wanted.get("beside", 0), processes="processes" not in without)
        signal.signal(signal.SIGINT, signal.default_int_handler)
        worker.serve(talk, places, contained="files" not in without)
        os._exit(0)
    os.close(talk)
    sandbox.hide()
    ended = watch(life, child, first, wanted["memory"] + sandbox.MARGIN)
    with contextlib.suppress(OSError):
        os.write(life, json.dumps(ended).encode())
    if first != 1:
        sandbox.kill_all(first)
    os._exit(0)


def watch(life: int, child: int, first: int, memory: int) -> dict[str, Any]:
    """Return how a worker ended, or what it took too much of; the caller then ends what is left of it."""
    handle = os.pidfd_open(child)
    poll = select.poll()
    poll.register(life, select.POLLIN | select.POLLHUP)
    poll.register(handle, select.POLLIN)
    shared = sandbox.memory_of([child])
    while True:
        ready = dict(poll.poll(LOOKS_EVERY * 1000))
        if life in ready:
            return {}
        # Who has lost its parent is this process's child.
        with contextlib.suppress(ChildProcessError):
            while True:
                pid, status = os.waitpid(-1, os.WNOHANG)
                if not pid:
                    break
                if pid == child:
                    return {"status": os.waitstatus_to_exitcode(status)}
        below = sandbox.family(first)
        if len(below) > sandbox.MOST_PROCESSES:
            return {"much": f"started more than {sandbox.MOST_PROCESSES} processes"}
        # What processes share with the first counts once; of few that is counted exactly, which takes a while.
        taken = sandbox.memory_of(below) - shared * max(0, len(below) - 1)
        if taken > memory and (len(below) > FEW or sandbox.memory_of(below, exactly=True) > memory):
            return {"much": f"took more than {memory >> 20} MiB of memory"}


def begin(wanted: dict[str, Any], descriptors: list[int], line: socket.socket, home: str) -> None:
    """Fork a minder, which is the first process of a new namespace, and be done with it."""
    child = os.fork()
    if child:
        for descriptor in descriptors:
            os.close(descriptor)
        os.waitpid(child, 0)
        return
    try:
        line.close()
        talk, life = descriptors
        if "processes" not in without:
            sandbox.unshare(sandbox.NEW_PROCESSES | sandbox.NEW_FILES)
        if os.fork():
            os._exit(0)
        if "processes" in without:
            os.setsid()
            sandbox.adopt()
        mind(life, talk, wanted, home)
    except BaseException as error:  # what can't be had is told, whatever it is
        with contextlib.suppress(OSError):
            os.write(descriptors[1], json.dumps({"failed": f"{type(error).__name__}: {error}"}).encode())
    finally:
        os._exit(1)


def try_out(home: str) -> None:
    """Find out what of a sandbox can be had here, by making one."""
    try:
        sandbox.enter()
    except (OSError, AttributeError) as error:
        without.update(dict.fromkeys(("network", "files", "processes"), str(error)))
        return
    try:
        folders.extend(sandbox.readable())
        sandbox.build_base(home, folders)
    except OSError as error:
        without.update(dict.fromkeys(("files", "processes"), str(error)))
        return
    read, write = os.pipe()
    child = os.fork()
    if not child:
        try:
            sandbox.unshare(sandbox.NEW_PROCESSES | sandbox.NEW_FILES)
            grandchild = os.fork()
            if not grandchild:
                sandbox.enter_root(home, os.path.dirname(os.path.abspath(__file__)), folders)
                os._exit(0)
            if os.waitpid(grandchild, 0)[1]:
                os.write(write, b"no file system of its own could be made")
        except BaseException as error:
            os.write(write, str(error).encode())
        os._exit(0)
    os.close(write)
    os.waitpid(child, 0)
    with os.fdopen(read, encoding="utf-8") as answer:
        why = answer.read()
    if why:
        without.update(dict.fromkeys(("files", "processes"), why))


def main() -> None:
    """Fork workers until the tool lets go of its end."""
    line = socket.socket(fileno=int(sys.argv[1]))
    home = sys.argv[2]
    sandbox.adopt()  # a minder's own parent ends at once
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):  # the tool decides when this ends
        signal.signal(number, signal.SIG_IGN)
    try_out(home)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    gc.collect()
    gc.freeze()  # what is there already stays shared with every worker
    line.send(json.dumps({"without": sandbox.told(without), "files": "files" not in without}).encode())
    while True:
        wanted, descriptors = receive(line)
        if not wanted:
            return
        with contextlib.suppress(ChildProcessError):
            while os.waitpid(-1, os.WNOHANG)[0]:
                pass
        begin(wanted, descriptors, line, home)


if __name__ == "__main__":
    main()
