"""What is heavy is optional: a missing package is one message that says what to install."""

from __future__ import annotations

import importlib.util

from vast_ferry.hub.findings import BadInput


def require(package: str, extra: str, purpose: str) -> None:
    """Raise BadInput where a package of an extra is not installed; `purpose` is what needs it."""
    if importlib.util.find_spec(package) is None:
        raise BadInput(f"{purpose} need the package {package}", f"Install it: pip install 'vast-ferry[{extra}]'")
