"""One native event from one provider's shape to another's, with what the other shape could not hold of it."""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import Any

from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.mapping.compile import event_losses
from vast_ferry.mapping.losses import Fields, Loss
from vast_ferry.providers.profile import Profile
from vast_ferry.providers.registry import find_profile
from vast_ferry.samples.native import read_events, write_events


@dataclass(frozen=True, slots=True)
class Converted:
    """Native events in the other shape, as plain JSON data, and the losses that their contents met."""

    events: list[Any]
    losses: tuple[Loss, ...]

    @property
    def event(self) -> Any:
        """Return the event, if it is one; raises ValueError where a batch became several, or none."""
        if len(self.events) != 1:
            raise ValueError(f"there are {len(self.events)} events: look at `events`")
        return self.events[0]


def convert_event(
    data: Any, source: str | Profile, target: str | Profile, *, shown: str = "event", line: int = 1
) -> Converted:
    """Return a native event (plain JSON data) of `source` in the shape of `target`, of whatever kind it is.

    A batch becomes as many events as it holds where `target` takes one at a time; a list of events becomes one batch
    where it takes batches. Objects are kept on file as mappings, their methods under `name()`; bytes as text, or
    `{"base64": …}` where they are not UTF-8.

    >>> call = {"verb": "GET", "scheme": "https", "site": "a.example", "path": "/x", "route": "/{name}", "at": 0,
    ...         "slots": {"name": "x"}, "search": "day=mon&day=tue", "first": {"day": "mon"}, "peer": "198.51.100.7"}
    >>> event = {"kind": "web", "ticket": "w-1", "call": call, "fields": {}, "crumbs": [], "content": "",
    ...          "packed": False, "who": None}
    >>> got = convert_event(event, "ostermere@1", "thornwick@1")
    >>> got.event["params"], got.event["route"]
    ([('day', 'mon'), ('day', 'tue')], '/<name>')

    Raises BadInput for an unknown provider, a kind that `target` has not, or an event that is not what its profile
    says (place and row are named).
    """
    source = find_profile(source) if isinstance(source, str) else source
    target = find_profile(target) if isinstance(target, str) else target
    several = data if isinstance(data, list) else [data]
    runs: list[tuple[str, list[Fields]]] = []
    for one in several:
        kind, events = read_events(one, source, shown, line)
        if runs and runs[-1][0] == kind:
            runs[-1][1].extend(events)
        else:
            runs.append((kind, events))
    written: list[Any] = []
    losses: dict[str, Loss] = {}
    for kind, events in runs:
        try:
            written += write_events(kind, events, target)
        except BadInput:
            raise
        except Exception as error:
            raise BadInput(
                f"this {kind} event can't be written for {target.title}: {error}",
                "Change what it names, or convert it to another provider",
                Place(shown, line),
            ) from None
        for loss in losses_between(source, target, kind):
            if any(loss.applies(event) for event in events):
                losses[f"{loss.code} {loss.field}"] = loss
    return Converted(written, tuple(losses.values()))


@functools.lru_cache(maxsize=256)
def losses_between(source: Profile, target: Profile, kind: str) -> tuple[Loss, ...]:
    """Return what `target`'s shape on file can't hold of what an event of `source` could show."""
    # An event on file holds what any server may offer, so what only some can't hold is held here.
    losses = event_losses(target.kind(kind).event, source.kind(kind).event)
    return tuple(loss for loss in losses if not loss.unless)
