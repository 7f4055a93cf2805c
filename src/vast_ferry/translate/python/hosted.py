"""Services that handlers call by steps, where the target reaches its own by way of what a handler is handed, or awaits.

Calls by steps (`open("looms").row(1).read()`) stay as they are written: a module of the provider's name is brought
along, and does what they ask by the target's client. It can do so behind a wrapper alone where that client is a
parameter of the handler's, or is awaited; so a handler that makes such calls is left as it is.
"""

from __future__ import annotations

import ast

from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.values import Stop


def stop_hosted(flow: Flow, source: Profile, target: Profile, handlers: list[Function]) -> None:
    """Stop what calls services by steps, where they can't be reached from a handler that is rewritten."""
    starts = set()
    for client in source.clients:
        theirs = target.operations.get(client.operation)
        if client.chain is not None and theirs is not None and (theirs.awaited or theirs.root in target.hosts):
            starts.add(f"{client.root}.{client.chain.root}")
    for module in flow.modules.values() if starts else ():
        inside = flow.holders(module)
        for node in module.nodes.all:
            if not isinstance(node, (ast.Name, ast.Attribute)) or flow.standard_name(module, node) not in starts:
                continue
            holder = inside.get(id(node))
            # What a module keeps of it may be called by anybody.
            for one in handlers if holder is None else [holder]:
                one.stop = one.stop or Stop("services-by-steps", node)
