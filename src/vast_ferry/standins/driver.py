"""The driver of a stand-in: generated code that calls a handler as a profile says, with hub fields in and out."""

from __future__ import annotations

import functools
from dataclasses import replace

from vast_ferry.hub.functions import Binding
from vast_ferry.mapping.bindings import deliver_bound
from vast_ferry.mapping.clients import HUB_CLIENTS
from vast_ferry.mapping.delivery import Delivery, deliver
from vast_ferry.mapping.emit import module_source
from vast_ferry.mapping.tables import HUB_BATCHES, HUB_CALLS, HUB_DONE, HUB_REPLY, Kind
from vast_ferry.profiles.profile import Profile


def hub_caller(kind: str, *, batch: bool) -> Kind:
    """Return the shapes of the hub itself as what calls a handler, with one event or with a batch."""
    if kind == "http":
        return Kind(HUB_CALLS[kind], HUB_REPLY)
    return Kind(HUB_BATCHES[kind] if batch else HUB_CALLS[kind], HUB_DONE)


@functools.lru_cache(maxsize=64)
def driver_source(
    profile: Profile,
    kinds: tuple[str, ...],
    without: frozenset[str] = frozenset(),
    bindings: tuple[Binding, ...] = (),
) -> str:
    """Return the source of a module that calls handlers: `CALLS[kind]` is (kind, function, whether it takes a batch).

    The function takes the handler, and an event as hub fields or a list of them; it gives what the handler answered as
    hub fields. `without` names offers that this stand-in does not make; `bindings` are those that the function
    declares, where the provider makes parameters of them.
    """
    made: list[Delivery] = []
    lines = ["CALLS = {"]
    for kind in kinds:
        own = profile.kind(kind)
        own = replace(own, event=own.event.without(without))
        batch = own.event.each is not None
        if bindings and profile.model.handler.output:
            made.append(deliver_bound(f"call_{kind}", own, bindings, profile.model.handler.output))
            lines.append(f"    {kind!r}: ({kind!r}, call_{kind}, False),")
            continue
        made.append(deliver(f"call_{kind}", own, hub_caller(kind, batch=batch)))
        lines.append(f"    {kind!r}: ({kind!r}, call_{kind}, {batch}),")
    sources, classes = profile.context_classes(HUB_CLIENTS)
    sources += [source for one in made for source in one.sources]
    more = list(dict.fromkeys(text for one in made for text in one.more))
    code = [*classes, *more, *(one.text for one in made), "\n".join([*lines, "}"])]
    return module_source(f"Stand-in for {profile.title}.", sources, *code)
