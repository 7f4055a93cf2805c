"""The worker process: imports one handler and calls it, again and again, as its provider would.

Run by path, never imported: it needs nothing but the standard library, so that what runs in it is the handler's world
and not ours. It speaks JSON lines over two pipes of its own; what the handler prints goes to a file and comes back with
the answer.
"""

from __future__ import annotations

import base64
import contextlib
import importlib
import importlib.util
import io
import json
import os
import random
import resource
import sys
import tempfile
import time
import traceback
import types
from collections.abc import Callable
from typing import Any

#: Of what a handler prints, so much is kept.
MOST_OUTPUT = 65_536


def load(setup: dict[str, Any]) -> Callable[..., Any]:
    """Return the handler, imported from its project."""
    sys.path.insert(0, setup["folder"])
    os.chdir(setup["folder"])
    path = os.path.join(setup["folder"], setup["file"])
    if setup["importable"]:
        module = importlib.import_module(setup["module"])
    else:
        spec = importlib.util.spec_from_file_location("handler_file", path)
        if spec is None or spec.loader is None:
            raise ImportError(f"{setup['file']} can't be imported")
        module = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(module)
    handler: Callable[..., Any] = getattr(module, setup["name"])
    return handler


def load_services(folder: str) -> Any:
    """Return the services behind the handler, from the file beside this one."""
    path = os.path.join(os.path.dirname(os.path.abspath(__file__)), "services.py")
    spec = importlib.util.spec_from_file_location("stand_in_services", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    services = module.Services(folder)
    services.module = module
    return services


def divert_network(services: Any) -> Any:
    """Answer what goes through `http.client` (and `urllib`) from the sample; refuse every other connection."""
    outbound = services.module.Outbound(services.note)

    class Wire:
        """Stands in for the socket of one connection."""

        def __init__(self, scheme: str, host: str, port: int | None) -> None:
            self._to = (scheme, host, port)
            self._sent = bytearray()

        def sendall(self, data: bytes) -> None:
            self._sent += data

        def makefile(self, *_: Any, **__: Any) -> io.BytesIO:
            return io.BytesIO(outbound.answer(bytes(self._sent), *self._to))

        def close(self) -> None:
            pass

        def settimeout(self, _: Any) -> None:
            pass

    def connect(self: Any, scheme: str) -> None:
        host, port = self._tunnel_host or self.host, self._tunnel_port if self._tunnel_host else self.port
        self.sock = Wire(scheme, host, None if port == {"http": 80, "https": 443}[scheme] else port)

    def refuse(self: Any, address: Any) -> None:
        raise ConnectionRefusedError(f"a stand-in has no network, and {address!r} was asked for")

    def divert_client(module: Any) -> None:
        module.HTTPConnection.connect = lambda self: connect(self, "http")
        module.HTTPSConnection.connect = lambda self: connect(self, "https")

    def divert_sockets(module: Any) -> None:
        module.socket.connect = refuse

    sys.meta_path.insert(0, Diverted({"http.client": divert_client, "socket": divert_sockets}))
    return outbound


class Diverted:
    """Changes modules as soon as they are imported; most handlers never import them, and they take long to load."""

    def __init__(self, changes: dict[str, Callable[[Any], None]]) -> None:
        self._changes = changes

    def find_spec(self, name: str, path: Any = None, target: Any = None) -> Any:
        """Return where a module is found, with what is done once it is loaded."""
        change = self._changes.pop(name, None)  # asked for again below, and then left to the others
        if change is None:
            return None
        spec = importlib.util.find_spec(name)
        assert spec is not None
        assert spec.loader is not None
        load = spec.loader.exec_module

        def load_and_change(module: Any) -> None:
            load(module)
            change(module)

        spec.loader.exec_module = load_and_change  # type: ignore[method-assign]
        return spec


def script(setup: dict[str, Any], services: Any) -> Callable[..., Any]:
    """Return what runs a script once for each event: a process of its own, forked from this one."""
    sys.path.insert(0, setup["folder"])
    path = os.path.join(setup["folder"], setup["file"])
    with open(path, "rb") as file:
        code = compile(file.read(), path, "exec")
    mount = services.module.Mount(services, os.path.join(os.environ["TMPDIR"], "mount"), setup["mount"])

    def run(env: dict[str, str], stdin: bytes) -> bytes:
        encoding = "latin-1" if setup["octets"] else "utf-8"
        given = {os.fsencode(name): os.fsencode(value) for name, value in {**os.environ, **mount.laid_out()}.items()}
        given |= {name.encode(): value.encode(encoding, "surrogateescape") for name, value in env.items()}
        with tempfile.TemporaryFile() as taken, tempfile.TemporaryFile() as made, tempfile.TemporaryFile() as done:
            taken.write(stdin)
            taken.seek(0)
            child = os.fork()
            if not child:
                services.after_fork()
                run_child(code, path, given, (taken, made, done), services)
            _, status = os.waitpid(child, 0)
            made.seek(0)
            done.seek(0)
            printed = made.read()
            services.effects += json.loads(done.read() or b"[]")
        code_of_exit = os.waitstatus_to_exitcode(status)
        if code_of_exit:
            how = f"status {code_of_exit}" if code_of_exit > 0 else f"signal {-code_of_exit}"
            raise ExitStatus(f"the script ended with {how}")
        mount.note_changes()
        return printed

    return run


class ExitStatus(Exception):
    """A script that did not end well."""


def run_child(
    code: types.CodeType, path: str, given: dict[bytes, bytes], files: tuple[Any, Any, Any], services: Any
) -> None:
    """Be the script: in the forked process, which never comes back."""
    status = 1
    taken, made, done = files
    try:
        os.dup2(taken.fileno(), 0)
        os.dup2(made.fileno(), 1)
        sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115
        sys.stdout = open(1, "w", encoding="utf-8", closefd=False)  # noqa: SIM115
        os.environ.clear()
        os.environb.update(given)
        os.chdir(os.path.dirname(path))
        sys.argv = [path]
        exec(code, {"__name__": "__main__", "__file__": path, "__builtins__": __builtins__})  # noqa: S102
        status = 0
    except SystemExit as error:
        status = error.code if isinstance(error.code, int) else int(error.code is not None)
        if isinstance(error.code, str):
            sys.stderr.write(f"{error.code}\n")
    except BaseException:
        traceback.print_exc()
    finally:
        with contextlib.suppress(Exception):
            sys.stdout.flush()
        with contextlib.suppress(Exception):
            sys.stderr.flush()
        with contextlib.suppress(Exception):
            done.write(json.dumps(services.effects).encode())
            done.flush()
        os._exit(status & 0xFF)


def failure(error: BaseException, folder: str, ending: str) -> dict[str, Any]:
    """Return how a call failed: type, message, and the frames that lie in the project."""
    frames = [
        f"{os.path.relpath(frame.filename, folder)}:{frame.lineno} in {frame.name}"
        for frame in traceback.extract_tb(error.__traceback__)
        if frame.filename.startswith(folder + os.sep)
    ]
    if isinstance(error, SyntaxError) and error.filename and error.filename.startswith(folder + os.sep):
        frames.append(f"{os.path.relpath(error.filename, folder)}:{error.lineno}")
    try:
        message = str(error)
    except Exception:
        message = "(its message can't be shown)"
    return {
        "ending": ending,
        "error": type(error).__name__,
        "message": message[:2000],
        "trace": " ← ".join(frames[::-1]),
    }


def main() -> None:
    """Serve calls until the other side closes its pipe."""
    requests = os.fdopen(int(sys.argv[1]), "rb")
    answers = os.fdopen(int(sys.argv[2]), "wb")
    setup = json.loads(requests.readline())
    resource.setrlimit(resource.RLIMIT_AS, (setup["memory"], setup["memory"]))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    sys.dont_write_bytecode = True

    # What the handler prints, and what its libraries print below Python, goes to a file.
    printed = tempfile.TemporaryFile()  # noqa: SIM115  (open as long as the process lives)
    os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
    for number in (1, 2):
        os.dup2(printed.fileno(), number)
    sys.stdout.reconfigure(line_buffering=True)  # type: ignore[union-attr]

    def said() -> str:
        for stream in (sys.stdout, sys.stderr):
            with contextlib.suppress(Exception):  # the handler may have closed it
                stream.flush()
        size = os.fstat(printed.fileno()).st_size
        if not size:
            return ""
        text = os.pread(printed.fileno(), MOST_OUTPUT, 0)
        os.ftruncate(printed.fileno(), 0)
        os.lseek(printed.fileno(), 0, os.SEEK_SET)
        more = f"\n… {size - MOST_OUTPUT:,} bytes more" if size > MOST_OUTPUT else ""
        return text.decode("utf-8", "replace") + more

    def answer(data: dict[str, Any]) -> None:
        answers.write(json.dumps(data).encode() + b"\n")
        answers.flush()

    services = load_services(os.path.join(os.environ["TMPDIR"], "services"))
    outbound = divert_network(services)
    for name, text in setup["modules"].items():
        module = types.ModuleType(name)
        module.__dict__["operate"] = services.operate
        exec(compile(text, f"<module {name}>", "exec"), module.__dict__)  # noqa: S102  (made from a profile)
        sys.modules[name] = module
        parent, _, last = name.rpartition(".")
        if parent in sys.modules:
            setattr(sys.modules[parent], last, module)
    driver: dict[str, Any] = {"__name__": "stand_in", "operate": services.operate}
    exec(compile(setup["driver"], "<stand-in>", "exec"), driver)  # noqa: S102  (made from a profile)
    folder = setup["folder"]
    try:
        handler = script(setup, services) if setup["script"] else load(setup)
    except BaseException as error:
        answer({**failure(error, folder, "not loaded"), "output": said(), "logs": []})
        return
    answer({"ending": "ready", "output": said()})

    for line in requests:
        request = json.loads(line)
        services.reset(request["before"])
        outbound.answers = request["answers"]
        logs: list[str] = []
        told = of_the_call(setup, request, logs)
        hubs = [{**unpacked(hub), **told} for hub in request["hubs"]]
        random.seed(request["seed"])
        started = time.perf_counter()
        data = call(driver["CALLS"][request["kind"]], handler, hubs, folder)
        data["seconds"] = time.perf_counter() - started
        data["output"], data["logs"], data["effects"] = said(), logs, services.effects
        answer(data)


def of_the_call(setup: dict[str, Any], request: dict[str, Any], logs: list[str]) -> dict[str, Any]:
    """Return what every handler is told of its call, and what it may call while it runs."""
    end = time.monotonic() + request["limit"]

    def log(text: Any, **more: Any) -> None:
        if len(logs) < 1000:
            logs.append(f"{text} {json.dumps(more, default=str)}" if more else str(text))

    def secret(name: str) -> str:
        try:
            value: str = setup["secrets"][name]
        except KeyError:
            raise KeyError(f"secret {name} is not declared") from None
        return value

    def time_left() -> float:
        left: float = end - time.monotonic()
        return max(0.0, left)

    return {
        "function": setup["function"],
        "limit": request["limit"],
        "log": log,
        "secret": secret,
        "time_left": time_left,
    }


def unpacked(hub: dict[str, Any]) -> dict[str, Any]:
    """Return hub fields as they came over the pipe, the body as bytes."""
    return {**hub, "body": base64.b64decode(hub["body"])} if "body" in hub else hub


def call(
    called: tuple[str, Callable[..., Any], bool], handler: Callable[..., Any], hubs: list[dict[str, Any]], folder: str
) -> dict[str, Any]:
    """Return how the calls ended by which a handler gets these events: one with all, or one for each."""
    kind, deliver, batch = called
    again: list[str] = []
    failed: dict[str, Any] = {}
    for events in [hubs] if batch else [[hub] for hub in hubs]:
        try:
            answered = deliver(handler, events if batch else events[0])
            if kind == "http":
                body = base64.b64encode(answered["body"]).decode("ascii")
                return {"ending": "replied", "reply": {**answered, "body": body}}
            if kind == "call":
                json.dumps(answered["value"], allow_nan=False)  # what is no JSON value is the handler's failure
                return {"ending": "returned", "value": answered["value"]}
            again += named(answered["again"], events)
        except SystemExit as error:
            return {"ending": "exited", "error": "SystemExit", "message": str(error.code), "trace": ""}
        except BaseException as error:
            failed = failed or failure(error, folder, "failed")
            again += [hub["id"] for hub in events]
    if kind in ("http", "call"):
        return failed
    if not again:
        return {"ending": "acknowledged", "again": []}
    ending = "failed" if len(again) == len(hubs) else "partly failed"
    return {**failed, "ending": ending, "again": again}


def named(again: Any, events: list[dict[str, Any]]) -> list[str]:
    """Return the ids that a handler named, each an event of its batch and told once."""
    ids = [hub["id"] for hub in events]
    if not isinstance(again, list | tuple):
        raise TypeError(f"events to deliver again are told as a list, not {type(again).__name__}")
    unknown = [one for one in again if one not in ids]
    if unknown:
        raise ValueError(f"the handler wants {unknown[0]!r} delivered again, which is not in its batch")
    return [one for one in ids if one in again]


if __name__ == "__main__":
    main()
