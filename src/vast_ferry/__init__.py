"""Vast Ferry carries event-driven functions from one hosting provider to another, and proves each one on sample events.

The public face is this dozen names; everything else is imported from where it lives. Importing the package loads
nothing: each name is fetched when it is first used.
"""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vast_ferry.checking.check import CheckResult as CheckResult
    from vast_ferry.checking.check import check as check
    from vast_ferry.checking.compare import Verdict as Verdict
    from vast_ferry.crossing.carry import Crossing as Crossing
    from vast_ferry.crossing.carry import carry as carry
    from vast_ferry.events.convert import convert_event as convert_event
    from vast_ferry.gap_finding.find import find_gaps as find_gaps
    from vast_ferry.hub.findings import BadInput as BadInput
    from vast_ferry.hub.findings import Finding as Finding
    from vast_ferry.hub.http import HttpEvent as HttpEvent
    from vast_ferry.hub.http import HttpReply as HttpReply
    from vast_ferry.profiles.profile import load_profile as load_profile
    from vast_ferry.profiles.registry import find_profile as find_profile
    from vast_ferry.standins.stand_in import StandIn as StandIn
    from vast_ferry.surveying.survey import survey as survey

__version__ = "0.1.0"

_HOMES = {
    "BadInput": "hub.findings",
    "CheckResult": "checking.check",
    "Crossing": "crossing.carry",
    "Finding": "hub.findings",
    "HttpEvent": "hub.http",
    "HttpReply": "hub.http",
    "StandIn": "standins.stand_in",
    "Verdict": "checking.compare",
    "carry": "crossing.carry",
    "check": "checking.check",
    "convert_event": "events.convert",
    "find_gaps": "gap_finding.find",
    "find_profile": "profiles.registry",
    "load_profile": "profiles.profile",
    "survey": "surveying.survey",
}

__all__ = [*sorted(_HOMES), "__version__"]  # noqa: PLE0604  (the keys are texts)


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    value = getattr(importlib.import_module(f"{__name__}.{_HOMES[name]}"), name)
    globals()[name] = value
    return value
