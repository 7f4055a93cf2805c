"""Ways in which handlers use header fields that come as lists by name."""

import json

from flagstone import Say


def a(ask, kit):
    return Say(load=json.dumps(ask.lines, sort_keys=True))


def b(ask, kit):
    try:
        return Say(load=str(ask.lines["x-a"] + ask.lines["x-none"]))
    except KeyError as error:
        return Say(404, load=f"no {error}")


def c(ask, kit):
    return Say(load=f'{ask.lines.get("x-a")} {ask.lines.get("x-none", ["-"])[0]} {"x-a" in ask.lines} {len(ask.lines) > 1}')


def d(ask, kit):
    first = ask.lines.get("x-a", ["none"])[0]
    return Say(load=first + ask.lines.get("X-A", ["upper"])[0])


def e(ask, kit):
    names = [name for name in ask.lines if name.startswith("x-")]
    return Say(load=",".join(names))


def f(ask, kit):
    return Say(load=str(sorted(dict(ask.lines).get("x-a", []))))


def g(ask, kit):
    return Say(load=str([value for name in ("x-a", "x-b") for value in ask.lines.get(name, [])]))


def h(ask, kit):
    return Say(load=ask.parts["one"] + str(bool(ask.lines)))


def i(ask, kit):
    return Say(load=",".join(ask.lines["x-a"]) if "x-a" in ask.lines else "none")


def j(ask, kit):
    return Say(load=json.dumps({name: values[0] for name, values in ask.lines.items() if name == "x-a"}))


def k(ask, kit):
    lines = ask.lines
    return Say(load=str(lines.get("x-a")) + str(lines.get("cookie")))
