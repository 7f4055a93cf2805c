"""What a provider's shapes can hold of an event or a reply: written into the shape and read back out of it.

So a difference can be explained: if the original, given only what the target can hold, answers what the carried
function answered, the loss accounts for all of it.
"""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from typing import Any

from vast_ferry.hub.http import HttpReply
from vast_ferry.mapping.compile.functions import Source, translate_event, translate_reply
from vast_ferry.mapping.emit import module_source, run_module, run_source
from vast_ferry.mapping.helpers import content_type_of, new_id, now
from vast_ferry.mapping.tables import HUB_EVENTS, HUB_REPLY
from vast_ferry.profiles.profile import Profile


class Projection:
    """What remains of events of a kind, and of HTTP replies, in a provider's shapes."""

    def __init__(self, profile: Profile, kind: str, without: frozenset[str]) -> None:
        self._profile = profile
        shape, hub = profile.kind(kind).event.without(without).on_file(), HUB_EVENTS[kind]
        self._write = run_source(translate_event("write_event", hub, shape))
        self._read = run_source(translate_event("read_event", shape, hub))

    def event(self, event: dict[str, Any]) -> dict[str, Any]:
        """Return what remains of an event; what a call needs and the shape has not is made anew."""
        kept: dict[str, Any] = self._read(self._write(event))
        return {**kept, "id": kept["id"] or new_id(), "time": kept["time"] or now()}

    @cached_property
    def _reply(self) -> _Reply:
        return _Reply(self._profile)

    def reply(self, reply: HttpReply, method: str, like: HttpReply | None = None) -> HttpReply:
        """Return what remains of a reply to a `method` request.

        Where a provider gives content a type that names none, which one depends on whether it is text there; so it is
        that of `like`, if that is one of them.
        """
        kept = self._reply.of(reply, method)
        shape = self._profile.reply
        forms = [shape.written, *([shape.by_hand.form] if shape.by_hand is not None else [])]
        by_form = [form.default_types or (form.types.get("text", ""), form.types.get("bytes", "")) for form in forms]
        given = {one for types in by_form for one in types if one}
        told = content_type_of(like.headers) if like is not None else ""
        if content_type_of(reply.headers) or told not in given or content_type_of(kept.headers) not in {"", *given}:
            return kept
        headers = [(name, value) for name, value in kept.headers if name.lower() != "content-type"]
        return replace(kept, headers=[*headers, ("content-type", told)])


class _Reply:
    """What remains of replies."""

    def __init__(self, profile: Profile) -> None:
        modules = {name: run_module(text, name) for name, text in profile.modules.items()}
        names = {k: v for m in modules.values() for k, v in m.items()}
        shape = profile.reply
        # What is awaited needs a loop, an object of the platform's own a platform: they hold no more than as data.
        of_platform = any(form.when == "object" and form.short_name not in names for form in shape.forms)
        shape = shape.on_file() if shape.awaits or of_platform else shape
        callback = shape.callback
        sources = [translate_reply("write_reply", HUB_REPLY, shape), translate_reply("read_reply", shape, HUB_REPLY)]
        self._names = callback.arguments if callback else ()
        self._callback = callback is not None
        self._of_event = shape.of_event
        self._takes_method = "method" in sources[0].parameters
        told = shape.told
        self._tells = told is not None
        more = [told.function("tell")] if told else []
        text = module_source(f"What {profile.title} can hold.", [_without_imports(source) for source in sources], *more)
        self._code = run_module(text, f"{profile.name} projection", names)

    def of(self, reply: HttpReply, method: str) -> HttpReply:
        fields = {"status": reply.status, "headers": reply.headers, "body": reply.body}
        told: dict[str, Any] = {}
        arguments: list[Any] = [method] if self._takes_method else []
        if self._callback:
            arguments.append(lambda *values: told.update(zip(self._names, values, strict=False)))
        returned = self._code["write_reply"](fields, *arguments)
        returned = self._code["tell"](returned) if self._tells else returned
        of_event = [""] * len(self._of_event)
        read = self._code["read_reply"](returned, *([told] if self._callback else []), *of_event)
        return HttpReply.from_fields(read)


def _without_imports(source: Source) -> Source:
    """Return generated source whose classes are put into its module instead of imported."""
    return replace(source, imports=())
