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

    for name, text in setup["modules"].items():
        module = types.ModuleType(name)
        exec(compile(text, f"<module {name}>", "exec"), module.__dict__)  # noqa: S102  (made from a profile)
        sys.modules[name] = module
    driver: dict[str, Any] = {"__name__": "stand_in"}
    exec(compile(setup["driver"], "<stand-in>", "exec"), driver)  # noqa: S102  (made from a profile)
    folder = setup["folder"]
    try:
        handler = load(setup)
    except BaseException as error:
        answer({**failure(error, folder, "not loaded"), "output": said(), "logs": []})
        return
    answer({"ending": "ready", "output": said()})

    for line in requests:
        request = json.loads(line)
        hub = request["hub"]
        hub["body"] = base64.b64decode(hub["body"])
        logs: list[str] = []

        def log(text: Any, logs: list[str] = logs, **more: Any) -> None:
            if len(logs) < 1000:
                logs.append(f"{text} {json.dumps(more, default=str)}" if more else str(text))

        def secret(name: str) -> str:
            try:
                value: str = setup["secrets"][name]
            except KeyError:
                raise KeyError(f"secret {name} is not declared") from None
            return value

        started = time.perf_counter()
        end = time.monotonic() + request["limit"]
        hub.update(function=setup["function"], limit=request["limit"], log=log, secret=secret)
        hub["time_left"] = lambda end=end: max(0.0, end - time.monotonic())
        random.seed(request["seed"])
        try:
            fields = driver["call_handler"](handler, hub)
            fields["body"] = base64.b64encode(fields["body"]).decode("ascii")
            data: dict[str, Any] = {"ending": "replied", "reply": fields}
        except SystemExit as error:
            data = {"ending": "exited", "error": "SystemExit", "message": str(error.code), "trace": ""}
        except BaseException as error:
            data = failure(error, folder, "failed")
        data["seconds"] = time.perf_counter() - started
        data["output"], data["logs"] = said(), logs
        answer(data)


if __name__ == "__main__":
    main()
