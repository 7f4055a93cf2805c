"""Style `wrapped`: the author's file stays as it is, and a small shim beside it speaks the target's signature."""

from __future__ import annotations

import keyword
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

import jinja2
import jinja2.sandbox

from vast_ferry.hub.functions import Entry, Function
from vast_ferry.mapping.compile import Source, translate_event, translate_reply, view_event
from vast_ferry.mapping.emit import module_source
from vast_ferry.mapping.nodes import docstring
from vast_ferry.providers.profile import Profile


def environment() -> jinja2.Environment:
    """Return how templates of code are filled in: every value that becomes source goes through `literal`."""
    made = jinja2.sandbox.SandboxedEnvironment(  # a profile's template may fill in, and do nothing else
        undefined=jinja2.StrictUndefined, keep_trailing_newline=True
    )
    made.filters["literal"] = repr
    made.filters["docstring"] = docstring
    return made


def slug(name: str) -> str:
    """Return a function's name as an identifier."""
    word = re.sub(r"\W", "_", name, flags=re.ASCII)
    return word if word.isidentifier() and not keyword.iskeyword(word) else f"f_{word}"


def unique_slugs(names: Iterable[str]) -> dict[str, str]:
    """Return an identifier for each name, no two alike."""
    made: dict[str, str] = {}
    for name in names:
        word = first = slug(name)
        number = 2
        while word in made.values():
            word, number = f"{first}_{number}", number + 1
        made[name] = word
    return made


@dataclass(frozen=True, slots=True)
class Wrapping:
    """How the handlers of one project are wrapped: the translations that every shim shares."""

    source: Profile
    target: Profile
    module: str
    slugs: Mapping[str, str]
    event: Source
    reply: Source
    method: Source
    path: Source

    @classmethod
    def between(cls, source: Profile, target: Profile, module: str, functions: Iterable[Function]) -> Wrapping:
        """Return the wrapping of `source`'s handlers for `target`; `module` is the name of the shared module."""
        return cls(
            source,
            target,
            module,
            unique_slugs([function.name for function in functions]),
            translate_event(
                "event_for",
                target.event,
                source.event,
                f"Return what {source.title} hands to a handler, from what {target.title} hands over.",
                fresh=True,
            ),
            translate_reply(
                "answer",
                source.reply,
                target.reply,
                f"Answer at {target.title} with what a handler of {source.title} returned.",
            ),
            view_event("request_method", target.event, "method", "Return the request's method."),
            view_event("request_path", target.event, "path.raw", "Return the request's path as it came on the wire."),
        )

    def shared_module(self) -> str:
        """Return the text of the module that all shims import; it needs nothing but the standard library."""
        about = (
            f"Between {self.target.title} and handlers written for {self.source.title}: what every shim uses.\n\n"
            "Made by Vast Ferry from the two profiles; carry the project again rather than edit this file.\n"
        )
        # The router of a whole project needs these; where each function is routed by its provider they cost nothing.
        routing = () if self.target.model.handler.process == "function" else ("match_route", "route_order")
        return module_source(about, [self.event, self.reply, self.method, self.path], also=routing)

    def shim_entry(self, function: Function) -> Entry:
        """Return where the shim of a function stands, beside its handler's file, and the callable in it."""
        folder = PurePosixPath(function.entry.file).parent
        # A folder that is no package name can't be imported from; the shim then stands at the top.
        if not all(part.isidentifier() for part in folder.parts):
            folder = PurePosixPath()
        name = f"{self.slugs[function.name]}_at_{slug(self.target.provider)}.py"
        return Entry(str(folder / name), self.target.model.handler.shim or self.slugs[function.name])

    def shim(self, function: Function, limit: float) -> str:
        """Return the text of a function's shim."""
        entry = self.shim_entry(function)
        event_arguments = _arguments(self.event, {"function": repr(function.name), "limit": f"{limit:g}"})
        reply = self.reply.parameters
        target_parameters = list(self.target.event.parameters)
        method_call = f"request_method({', '.join(self.method.parameters)})"
        native = list(self.source.event.parameters)
        passed = {"method": method_call}
        answer = [f"original({', '.join(native)})", *(passed.get(name, name) for name in reply[1:])]
        names = ["answer", "event_for", *(["request_method"] if "method" in reply else [])]
        template = environment().from_string((Path(__file__).parent / "shim.py.j2").read_text(encoding="utf-8"))
        return template.render(
            function=function,
            source=self.source,
            target=self.target,
            crossing=self.module,
            names=names,
            slug=self.slugs[function.name],
            up=".parent" * (len(PurePosixPath(entry.file).parts) - 1),
            handler=entry.name,
            parameters=target_parameters,
            native=native,
            event_arguments=event_arguments,
            answer_arguments=answer,
        )


def _arguments(source: Source, given: dict[str, str]) -> list[str]:
    return [f"{name}={given[name]}" if name in given else name for name in source.parameters]
