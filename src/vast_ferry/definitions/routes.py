"""Routes in a provider's spelling, two-way: captures, typed captures, the rest of a path, a slash that may be left out.

The hub's form is an RFC 6570 template, beside it what types captures have. Which of two routes takes a request that
both match is decided here too.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.hub.findings import FerryError
from vast_ferry.mapping.helpers import route_order

#: type of a capture → what a segment of that type is
TYPES: Final = {
    "int": r"[0-9]+",
    "word": r"[A-Za-z0-9]+",
    "uuid": r"[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}",
}


class RouteError(FerryError, ValueError):
    """A text that is no route in its spelling."""


@dataclass(frozen=True, slots=True)
class Routed:
    """A route as the hub has it: template, types of captures, whether a slash at the end may be left out."""

    route: str
    types: tuple[tuple[str, str], ...] = ()
    slash: bool = False


@dataclass(frozen=True, slots=True)
class RouteStyle:
    """How a provider spells a route: `name` stands for a capture's name, `type` for its type.

    `typed` is empty where captures have no types, `slash` where a slash at the end is there or is not. Without
    `leading`, routes begin with their first segment. `order` says which of two routes wins: the more `specific`, or
    the one `declared` first.
    """

    one: str = "{name}"
    rest: str = "{+name}"
    typed: str = ""
    types: Mapping[str, str] = field(default_factory=dict)  # own word → the hub's
    slash: str = ""
    leading: bool = True
    order: str = "specific"

    def _is_plain(self, segment: str, route: str) -> None:
        """Raise RouteError for a segment that is neither a capture nor plain."""
        if re.search(r"[{}<>*?#\s]", segment) or self._looks_like_capture(segment):
            examples = [self._spelt(form, "hive") for form in (self.one, self.typed, self.rest) if form]
            raise RouteError(f"expected captures as whole segments, such as {' or '.join(examples)}, got {route!r}")

    def read(self, text: str) -> Routed:
        """Return the route that a text is; raises RouteError with what was expected."""
        own = text
        if self.leading != text.startswith("/"):
            wanted = "that begins with a slash" if self.leading else "without a slash before it"
            raise RouteError(f"expected a route {wanted}, got {text!r}")
        if not self.leading:
            text = f"/{text}"
        slash = bool(self.slash) and text.endswith(self.slash)
        if slash:
            text = text[: -len(self.slash)]
        segments = self._segments(text)
        types: dict[str, str] = {}
        made: list[str] = []
        names: list[str] = []
        for index, segment in enumerate(segments):
            name, kind = self._capture(segment)
            if not name:
                self._is_plain(segment, own)
                made.append(segment)
                continue
            names.append(name)
            if kind == "rest" and index < len(segments) - 1:
                raise RouteError(f"a capture of the rest stands last, in {own!r} it does not")
            made.append(f"{{+{name}}}" if kind == "rest" else f"{{{name}}}")
            if kind not in ("", "rest"):
                types[name] = kind
        if len(set(names)) != len(names):
            raise RouteError(f"{own!r} captures a name twice")
        # What takes the rest takes a slash as well, and the root is one.
        bare = not made or made == [""] or made[-1].startswith("{+")
        return Routed("/" + "/".join(made), tuple(sorted(types.items())), slash and not bare)

    def _segments(self, text: str) -> list[str]:
        """Return what stands between the slashes; one in a capture's own spelling (`[^/]+`) sets no segments apart."""
        parts = [part for form in (self.one, self.rest, self.typed) for part in re.split("name|type", form)]
        for part in parts:
            text = text.replace(part, _masked(part)) if "/" in part else text
        return text.split("/")[1:]

    def _looks_like_capture(self, segment: str) -> bool:
        return any(segment.startswith(form.partition("name")[0] or "\0") for form in (self.one, self.rest))

    def _spelt(self, form: str, name: str) -> str:
        kind = next(iter(self.types), "int")
        return re.sub("type", kind, re.sub("name", name, form, count=1), count=1)

    def _capture(self, segment: str) -> tuple[str, str]:
        """Return name and kind of the capture that a segment is (`rest`, a type, or none); no name where it is none."""
        for form, kind in ((self.rest, "rest"), (self.typed, "typed"), (self.one, "")):
            if "name" not in form:
                continue
            pattern = (
                re.escape(_masked(form)).replace("name", r"(?P<n>[A-Za-z_]\w*)", 1).replace("type", r"(?P<t>\w+)", 1)
            )
            found = re.fullmatch(pattern, segment, re.ASCII)
            if found and kind == "typed":
                word = found["t"]
                if word not in self.types:
                    raise RouteError(f"there is no type {word!r} for a capture, only {', '.join(self.types)}")
                return found["n"], self.types[word]
            if found:
                return found["n"], kind
        return "", ""

    def write(self, routed: Routed) -> str:
        """Return a route's spelling; raises CannotHold where there is none for its types or its optional slash."""
        types = dict(routed.types)
        own = {hub: word for word, hub in self.types.items()}
        made = []
        for segment in routed.route.split("/")[1:]:
            found = re.fullmatch(r"\{(\+?)(\w+)\}", segment)
            if not found:
                made.append(segment)
            elif found[1]:
                made.append(self.rest.replace("name", found[2], 1))
            elif found[2] in types:
                if types[found[2]] not in own or not self.typed:
                    raise CannotHold(f"captures have no type {types[found[2]]} there")
                parts = re.split("(name|type)", self.typed)
                spelt = {"name": found[2], "type": own[types[found[2]]]}
                made.append("".join(spelt.get(part, part) for part in parts))
            else:
                made.append(self.one.replace("name", found[2], 1))
        if routed.slash and not self.slash:
            raise CannotHold("a slash at the end can't be left out there")
        return ("/" if self.leading else "") + "/".join(made) + (self.slash if routed.slash else "")


def _masked(text: str) -> str:
    return text.replace("/", "\0")


# --- which route wins ------------------------------------------------------------------------------------------------


def shape_of(route: str) -> str:
    """Return a template without the names of its captures: routes of one shape take the same paths."""
    return re.sub(r"\{(\+?)\w+\}", r"{\1}", route)


def overlap(one: str, other: str) -> bool:
    """Tell whether there is a path that both templates take."""
    a, b = one.split("/")[1:], other.split("/")[1:]
    for index in range(max(len(a), len(b))):
        x = a[index] if index < len(a) else None
        y = b[index] if index < len(b) else None
        if (x and x.startswith("{+")) or (y and y.startswith("{+")):
            return x is not None and y is not None
        if x is None or y is None:
            return False
        if not (x.startswith("{") or y.startswith("{") or x == y):
            return False
    return True


def covers(one: str, other: str) -> bool:
    """Tell whether every path that `other` takes is one that `one` takes."""
    a, b = one.split("/")[1:], other.split("/")[1:]
    for index, segment in enumerate(a):
        if segment.startswith("{+"):
            return len(b) > index
        if index >= len(b) or b[index].startswith("{+"):
            return False
        if not segment.startswith("{") and segment != b[index]:
            return False
    return len(a) == len(b)


def winners(routes: Iterable[str], order: str) -> list[str]:
    """Return routes in the order in which a provider tries them."""
    listed = list(routes)
    return sorted(listed, key=route_order) if order == "specific" else listed


def overlapping(routes: list[tuple[str, frozenset[str]]]) -> Iterator[tuple[int, int]]:
    """Yield the pairs of routes (by number) that some request would match both of; linear where they differ early.

    A route is a template and its methods, none for any.
    """
    by_first: dict[str, list[int]] = {}
    open_first: list[int] = []
    for number, (route, methods) in enumerate(routes):
        first = route.split("/")[1] if "/" in route else ""
        if first.startswith("{"):
            candidates: Iterable[int] = range(number)
            open_first.append(number)
        else:
            candidates = sorted({*by_first.get(first, ()), *open_first})
            by_first.setdefault(first, []).append(number)
        for other in candidates:
            theirs = routes[other][1]
            if (not methods or not theirs or methods & theirs) and overlap(routes[other][0], route):
                yield other, number
