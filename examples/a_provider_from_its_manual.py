"""A profile from recorded events: begun, finished by hand, judged by what the manual says each event means."""

from __future__ import annotations

import json
from pathlib import Path

from vast_ferry import begin_profile, convert, facts, find_profile, lint, try_event

HERE = Path(__file__).parent / "mossgate"
EVENTS = HERE / "mossgate" / "events"


def main() -> None:
    begun = begin_profile("mossgate", EVENTS)
    print(f"begun: {begun.guessed} rows guessed, {begun.left} places left")

    profile = find_profile(str(HERE / "mossgate-1.yaml"))
    told = list(facts(profile))
    print(f"evidence: {sum(fact.right for fact in told)} of {len(told)} facts arrive as the manual has them")
    for fact in told:
        if not fact.right:
            print(f"  {fact.file}: {fact.field} is {fact.wanted!r}, and was read as {fact.got!r} (line {fact.row})")

    event = json.loads((EVENTS / "http-1.json").read_text())
    tried = try_event(profile, {**event, "spare": 1})
    print(f"a key that no row reads is told: {', '.join(tried.unread)}")

    there = convert(event, profile, "ostermere")
    back = convert(there.event, "ostermere", profile).event
    same = [key for key in event if back[key] == event[key]]
    print(f"there and back, the same: {', '.join(same)}")
    print(f"laws broken: {sum(one.broken is not None for one in lint(profile, 10))}")


if __name__ == "__main__":
    main()
