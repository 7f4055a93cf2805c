"""Linting a profile: every law on every kind, and the profile translated to and from every profile that ships."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from vast_ferry.evidence.witnesses import Fact, facts, unread
from vast_ferry.hub.extras import require
from vast_ferry.mapping.losses import Broken
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles, find_profile


@dataclass(frozen=True, slots=True)
class Linted:
    """One law, for one kind of event, and how it is broken, if it is; `other` is the other profile of a pair."""

    law: str
    kind: str
    broken: Broken | None = None
    other: str = ""


def lint(profile: str | Profile, examples: int = 200) -> Iterator[Linted]:
    """Yield every law for every kind of a profile, on so many generated events each.

    A pair's law is yielded once where it holds with all others, and once for each profile with which it does not.
    Raises BadInput for an unknown profile, and where the package that generates events is not installed.
    """
    profile = find_profile(profile) if isinstance(profile, str) else profile
    yield from _evidence(profile)
    require("hypothesis", "lint", "generated events")
    from vast_ferry.mapping.laws import check_pair, check_shape
    from vast_ferry.mapping.laws_beside import check_beside, check_client

    if not profile.kinds:
        why = "the profile describes no kind of event, so there is nothing that could be checked"
        yield Linted("there is something to check", "", Broken("there is something to check", "", why, {}))
    for kind, tables in profile.kinds.items():
        for law, broken in (*check_shape(tables.event, examples), *check_beside(tables, examples)):
            yield Linted(law, kind, broken)
        law, failed = "fused is read and write", False
        for other in all_profiles():
            if other.name == profile.name or kind not in other.kinds:
                continue
            for one, two in ((profile, other), (other, profile)):
                broken = check_pair(one.kinds[kind].event, two.kinds[kind].event, examples)
                if broken:
                    failed = True
                    yield Linted(law, kind, broken, f"{one.name} → {two.name}")
        if not failed:
            yield Linted(law, kind)
    broken_calls = [broken for client in profile.clients if (broken := check_client(client, examples))]
    if profile.clients:
        yield Linted("calls pass on what they are given", "services", broken_calls[0] if broken_calls else None)


def _evidence(profile: Profile) -> Iterator[Linted]:
    """Yield whether recorded events mean what their evidence says, kind by kind, and are read whole."""
    law = "recorded events mean what they say"
    told: dict[str, list[Fact]] = {}
    for fact in facts(profile):
        told.setdefault(fact.kind, []).append(fact)
    for kind, found in told.items():
        wrong = [fact for fact in found if not fact.right]
        for fact in wrong:
            why = f"{fact.file}: {fact.refused or f'{fact.field} is {fact.wanted!r}, and was read as {fact.got!r}'}"
            where = f" (row in line {fact.row})" if fact.row else ""
            yield Linted(law, kind, Broken(law, kind, why + where, {}))
        if not wrong:
            yield Linted(law, kind)
    for file, keys in unread(profile).items():
        law = "every key of recorded events is read"
        yield Linted(law, "", Broken(law, "", f"{file}: no row reads {', '.join(keys)}", {}))
