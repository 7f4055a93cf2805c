import json
import logging
from dataclasses import asdict, dataclass, field, replace


def say(text):
    return {"code": 200, "content": str(text)}


@dataclass
class Request:
    event: dict

    @property
    def path(self):
        return self.event["call"]["path"]

    def header(self, name, default=""):
        return self.event["fields"].get(name, default)

    def itself(self):
        return self


def maybe(event):
    return Request(event) if event["call"]["verb"] == "GET" else None


def lost(request=None):
    return str(request)


@dataclass
class Outer:
    request: Request
    word: str = "w"


class Holder:
    def __init__(self, request):
        self.request = request

    def show(self):
        return str(self.request)


@dataclass
class Shown:
    event: dict

    def shown(self):
        return f"{self}"


def gives(event):
    yield Request(event)


@dataclass(order=True)
class Numbered:
    number: int
    event: dict = field(default_factory=dict)


def raised(request):
    try:
        raise LookupError(request)
    except LookupError as error:
        return str(error)


def matched(request):
    match request:
        case Request(event=held):
            return str(sorted(held))


def bound_again(event):
    request, other = Request(event), 1
    if event["call"]["verb"] == "PUT":
        request = "none"
    return str(request) if other else ""


def two(one, other):
    return one == other


class Asked:
    def __init__(self, event):
        self.event = event

    @property
    def path(self):
        return self.event["call"]["path"]

    def header(self, name, default=""):
        return self.event["fields"].get(name.lower(), default)
