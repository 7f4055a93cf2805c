"""The driver of a stand-in: generated code that calls a handler as a profile says, with hub fields in and out."""

from __future__ import annotations

from vast_ferry.mapping.compile import TOLD, translate_event, translate_reply
from vast_ferry.mapping.emit import module_source
from vast_ferry.mapping.tables import HUB_CALL, HUB_REPLY
from vast_ferry.providers.profile import Profile

_TOLD = '''
class Told(dict):
    """What a callback was called with."""

    def __missing__(self, name):
        raise RuntimeError(f"the handler never called back with its {name}")
'''.strip()


def driver_source(profile: Profile, without: frozenset[str] = frozenset()) -> str:
    """Return the source of a module whose `call_handler(handler, hub)` gives the reply as hub fields.

    `without` names offers that this stand-in does not make.
    """
    event = translate_event("native_event", HUB_CALL, profile.event.without(without))
    reply = translate_reply("hub_reply", profile.reply, HUB_REPLY)
    single = len(profile.event.parameters) == 1
    callback = profile.reply.callback
    more = [TOLD] if callback else []
    more += ['hub["method"]'] if "method" in reply.parameters else []
    passed = ["hub", *([callback.name] if callback else [])]
    lines = ["def call_handler(handler, hub):"]
    if callback:
        lines += [
            f"    {TOLD} = Told()",
            "",
            f"    def {callback.name}({callback.signature}):",
            *(f"        {TOLD}[{name!r}] = {name}" for name in callback.arguments),
            "",
        ]
    star = "" if single else "*"
    lines += [
        f"    returned = handler({star}native_event({', '.join(passed)}))",
        f"    return hub_reply({', '.join(['returned', *more])})",
    ]
    extra = [_TOLD] if callback else []
    return module_source(f"Stand-in for {profile.title}.", [event, reply], *extra, "\n".join(lines))
