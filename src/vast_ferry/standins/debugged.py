"""The process of a worker under a debugger: listens for one, and then serves calls like any other worker.

Run by path, never imported, in an interpreter of its own. It is no sandbox: a debugger needs the network, and whoever
attaches may do anything that the user may. Node listens by itself; its options come with the setup.
"""

from __future__ import annotations

import importlib.util
import os
import sys
from types import ModuleType


def load(name: str) -> ModuleType:
    """Return the module in a file beside this one, with what it loads itself."""
    path = os.path.join(os.path.dirname(os.path.abspath(__file__)), f"{name}.py")
    spec = importlib.util.spec_from_file_location(f"_stand_in_{name}", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    return module


def main() -> None:
    """Serve calls over the descriptor that is told, once a debugger can attach to the port that is told."""
    descriptor, port, waits = (int(one) for one in sys.argv[1:4])
    folder, scratch, services = sys.argv[4:7]
    if port:
        import debugpy

        debugpy.listen(("127.0.0.1", port))
        if waits:
            debugpy.wait_for_client()
    keeper = load("keeper")
    keeper.worker.serve(descriptor, {"folder": folder, "scratch": scratch, "services": services}, contained=False)


if __name__ == "__main__":
    main()
