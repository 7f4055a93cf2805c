"""Calls of services as an author writes them, made into the tables that the compiler takes; and what turns values."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.hub.kinds import KINDS
from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping.chains import ChainError, parse_chain
from vast_ferry.mapping.clients import Client, Converter, arguments_shape, name_of, result_shape
from vast_ferry.mapping.tables import Row
from vast_ferry.profiles import schema
from vast_ferry.profiles.building import Builder


class BuilderOfAll(Builder):
    """Builds the rows of clients and converters as well as those of events and replies."""

    def handler(self, profile: schema.ProfileModel) -> None:
        """Note what a profile says is handed to a handler, or to what sets it up, and is none of its parameters."""
        kinds = [getattr(profile, name) for name in KINDS]
        handed = {*profile.handler.parameters, *(one for kind in kinds if kind for one in kind.event.parameters)}
        for name in ("event", "setup_takes", "spread"):
            odd = [one for one in getattr(profile.handler, name) if one not in handed]
            if odd:
                what = f"{name} names {odd[0]!r}, which is none of the parameters of a handler"
                self._no(
                    what, "Write it under `parameters` as well: these are all that is handed over", "handler", name
                )

    def clients(self, profile: schema.ProfileModel) -> Iterable[Client]:
        """Yield the clients of a profile; those of an unknown operation are noted and left out."""
        for root, calls in profile.clients.items():
            for path, model in calls.items():
                at = ("clients", root, path)
                line = self.document.place(*at).line
                operation = OPERATIONS.get(model.does)
                if operation is None:
                    self.problems.append(
                        BadInput(
                            f"there is no operation {model.does!r}{nearest(model.does, OPERATIONS)}",
                            f"Use one of: {', '.join(OPERATIONS)}",
                            self.document.place(*at, "does"),
                        )
                    )
                    continue
                rows = tuple(self.row(row, *at, "rows", index) for index, row in enumerate(model.rows))
                try:
                    chain = parse_chain(path)
                except ChainError as error:
                    remedy = "See docs/profiles.md for calls that are made step by step"
                    self.problems.append(BadInput(str(error), remedy, self.document.place(*at)))
                    continue
                if root in profile.handler.parameters and not chain and "." not in path:
                    what = f"{root} is handed to a handler, and {path!r} has no group before it"
                    remedy = f"Write it as group.{path}, or on a module"
                    self.problems.append(BadInput(what, remedy, self.document.place(*at)))
                    continue
                takes = (*(chain.names if chain else ()), *model.takes)
                rows = tuple(_where_nothing_stands(row, model.takes) for row in rows)
                result = None
                if operation.gives and model.returns:
                    given_back = (self.row(row, *at, "returns", index) for index, row in enumerate(model.returns))
                    result = result_shape(operation, *given_back)
                elif operation.gives:
                    returned = {"at": "returned", "is": operation.gives.name, "as": model.gives}
                    given = schema.RowModel.model_validate(returned)
                    result = result_shape(operation, replace(self.row(given, *at), line=line))
                arguments = arguments_shape(operation, takes, rows)
                calling = (model.absent, model.awaited, chain, model.pages)
                yield Client(root, path, operation.name, takes, arguments, result, *calling)

    def converters(self, profile: schema.ProfileModel) -> Iterable[Converter]:
        """Yield each function of a provider's that converts between two forms."""
        for module, several in profile.converters.items():
            for name, model in several.items():
                at = ("converters", module, name)
                told = {"at": "value", "is": "record", "as": model.reads or model.writes, "words": model.words}
                lens = self.row(schema.RowModel.model_validate(told), *at).lens
                yield Converter(module, name, lens, reads=bool(model.reads))


def _where_nothing_stands(row: Row, takes: Sequence[str]) -> Row:
    """Return a row of a call's arguments that finds nothing where nothing is given for the whole argument."""
    usual = {name_of(one): one.partition("=")[2].strip() for one in takes}
    gently = row.optional and bool(row.at.steps) and usual.get(row.at.root) == "None"
    return replace(row, at=replace(row.at, gently=True)) if gently else row
