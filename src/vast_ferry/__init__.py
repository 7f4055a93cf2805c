"""Vast Ferry carries event-driven functions from one hosting provider to another, and proves each one on sample events.

The public face is these names; everything else is imported from where it lives. Importing the package loads nothing:
each name is fetched when it is first used. Wherever a provider is asked for, its name, the path of its profile or a
`Profile` may be given.
"""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vast_ferry.checking.against import Endpoint as Endpoint
    from vast_ferry.checking.against import check_against as check_against
    from vast_ferry.checking.calling import Called as Called
    from vast_ferry.checking.calling import call as call
    from vast_ferry.checking.check import check as check
    from vast_ferry.checking.compare import Verdict as Verdict
    from vast_ferry.checking.lint import Linted as Linted
    from vast_ferry.checking.lint import lint as lint
    from vast_ferry.checking.result import Checked as Checked
    from vast_ferry.checking.result import CheckResult as CheckResult
    from vast_ferry.collecting.collect import Collection as Collection
    from vast_ferry.collecting.collect import collect as collect
    from vast_ferry.collecting.collect import write_samples as write_samples
    from vast_ferry.crossing.carry import Crossing as Crossing
    from vast_ferry.crossing.carry import carry as carry
    from vast_ferry.crossing.carry import plan as plan
    from vast_ferry.events.convert import Converted as Converted
    from vast_ferry.events.convert import convert as convert
    from vast_ferry.evidence.beginning import Beginning as Beginning
    from vast_ferry.evidence.beginning import begin_profile as begin_profile
    from vast_ferry.evidence.trying import Tried as Tried
    from vast_ferry.evidence.trying import try_event as try_event
    from vast_ferry.evidence.witnesses import Fact as Fact
    from vast_ferry.evidence.witnesses import facts as facts
    from vast_ferry.gap_finding.find import gaps as gaps
    from vast_ferry.gap_finding.gaps import Gaps as Gaps
    from vast_ferry.hub.findings import BadInput as BadInput
    from vast_ferry.hub.findings import FerryError as FerryError
    from vast_ferry.hub.findings import Finding as Finding
    from vast_ferry.hub.findings import Place as Place
    from vast_ferry.hub.findings import Severity as Severity
    from vast_ferry.hub.http import HttpEvent as HttpEvent
    from vast_ferry.hub.http import HttpReply as HttpReply
    from vast_ferry.probing.deliveries import Delivered as Delivered
    from vast_ferry.probing.deliveries import DeliveriesResult as DeliveriesResult
    from vast_ferry.probing.deliveries import deliveries as deliveries
    from vast_ferry.probing.making import MadeSamples as MadeSamples
    from vast_ferry.probing.making import make_samples as make_samples
    from vast_ferry.probing.strength import Strength as Strength
    from vast_ferry.probing.strength import StrengthResult as StrengthResult
    from vast_ferry.probing.strength import strength as strength
    from vast_ferry.profiles.profile import Profile as Profile
    from vast_ferry.profiles.registry import find_profile as find_profile
    from vast_ferry.standins.stand_in import StandIn as StandIn
    from vast_ferry.surveying.survey import Survey as Survey
    from vast_ferry.surveying.survey import survey as survey

__version__ = "0.1.0"

_HOMES = {
    "BadInput": "hub.findings",
    "Beginning": "evidence.beginning",
    "Called": "checking.calling",
    "CheckResult": "checking.result",
    "Checked": "checking.result",
    "Collection": "collecting.collect",
    "Converted": "events.convert",
    "Crossing": "crossing.carry",
    "Delivered": "probing.deliveries",
    "DeliveriesResult": "probing.deliveries",
    "Endpoint": "checking.against",
    "Fact": "evidence.witnesses",
    "FerryError": "hub.findings",
    "Finding": "hub.findings",
    "Gaps": "gap_finding.gaps",
    "HttpEvent": "hub.http",
    "HttpReply": "hub.http",
    "Linted": "checking.lint",
    "MadeSamples": "probing.making",
    "Place": "hub.findings",
    "Profile": "profiles.profile",
    "Severity": "hub.findings",
    "StandIn": "standins.stand_in",
    "Strength": "probing.strength",
    "StrengthResult": "probing.strength",
    "Survey": "surveying.survey",
    "Verdict": "checking.compare",
    "begin_profile": "evidence.beginning",
    "call": "checking.calling",
    "carry": "crossing.carry",
    "check": "checking.check",
    "check_against": "checking.against",
    "collect": "collecting.collect",
    "convert": "events.convert",
    "deliveries": "probing.deliveries",
    "facts": "evidence.witnesses",
    "find_profile": "profiles.registry",
    "gaps": "gap_finding.find",
    "lint": "checking.lint",
    "make_samples": "probing.making",
    "plan": "crossing.carry",
    "strength": "probing.strength",
    "survey": "surveying.survey",
    "Tried": "evidence.trying",
    "try_event": "evidence.trying",
    "write_samples": "collecting.collect",
}

__all__ = [*sorted(_HOMES), "__version__"]  # noqa: PLE0604  (the keys are texts)


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    value = getattr(importlib.import_module(f"{__name__}.{_HOMES[name]}"), name)
    globals()[name] = value
    return value
