"""One native event from one provider's shape to another's, with what the other shape could not hold of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from vast_ferry.mapping.compile import event_losses
from vast_ferry.mapping.losses import Loss
from vast_ferry.providers.profile import Profile
from vast_ferry.providers.registry import find_profile
from vast_ferry.samples.native import read_native, write_native


@dataclass(frozen=True, slots=True)
class Converted:
    """An event in the other shape, as plain JSON data, and the losses that this event met."""

    event: Any
    losses: tuple[Loss, ...]


def convert_event(
    data: Any, source: str | Profile, target: str | Profile, *, shown: str = "event", line: int = 1
) -> Converted:
    """Return a native event (plain JSON data) of `source` in the shape of `target`.

    Objects are kept on file as mappings, their methods under `name()`; bytes as text, or `{"base64": …}` where they are
    not UTF-8.

    >>> call = {"verb": "GET", "scheme": "https", "site": "a.example", "path": "/x", "route": "/{name}", "at": 0,
    ...         "slots": {"name": "x"}, "search": "day=mon&day=tue", "first": {"day": "mon"}, "peer": "198.51.100.7"}
    >>> event = {"kind": "web", "ticket": "w-1", "call": call, "fields": {}, "crumbs": [], "content": "",
    ...          "packed": False, "who": None}
    >>> got = convert_event(event, "ostermere", "thornwick")
    >>> got.event["params"], got.event["route"]
    ([('day', 'mon'), ('day', 'tue')], '/<name>')

    Raises BadInput for an unknown provider, or an event that is not what its profile says (place and row are named).
    """
    source = find_profile(source) if isinstance(source, str) else source
    target = find_profile(target) if isinstance(target, str) else target
    event = read_native(data, source, shown, line)
    fields = event.as_fields()
    # An event on file holds what any server may offer, so what only some can't hold is held here.
    losses = [loss for loss in event_losses(target.event, source.event) if not loss.unless and loss.applies(fields)]
    return Converted(write_native(event, target), tuple(losses))
