"""Lists of functions that a mapping has for a word, or that stand in rows."""

import json
from collections import defaultdict
from ostermere import books, lines


def warn(alert, event):
    lines.post("wardens", f"{alert}")


def note(alert, event):
    books.write("alerts", {"id": alert}, {"path": event["call"]["path"]})


def tag(alert, event):
    for one in event["call"]["first"].values():
        lines.post("tag", one)


ACTIONS = {"GET": [warn, note], "PUT": [tag], "POST": []}
RULES = [
    (lambda verb: verb == "GET", [warn, note, tag]),
    (lambda verb: True, [tag]),
]
HOOKS = defaultdict(list)
LATER = {}


def on(word):
    def register(function):
        HOOKS[word].append(function)
        return function
    return register


def later(word):
    def register(function):
        LATER.setdefault(word, []).append(function)
        return function
    return register


@on("GET")
def seen(event):
    lines.post("seen", event["call"]["verb"])
    return "seen"


@on("PUT")
def put(event):
    return "put" + str(books.read("t", {"id": 1}))


@on("PUT")
def other(event):
    return event["call"]["path"]


@later("GET")
def later_seen(event):
    lines.post("later", event["call"]["verb"])


def way_get(event, ctx):
    for action in ACTIONS.get(event["call"]["verb"], []):
        action("x", event)
    return "done"


def way_item(event, ctx):
    for action in ACTIONS[event["call"]["verb"]]:
        action("x", event)
    return "done"


def way_named(event, ctx):
    actions = ACTIONS.get(event["call"]["verb"], ())
    if not actions:
        return "none"
    for number, action in enumerate(actions):
        action(str(number), event)
    return "done"


def way_rules(event, ctx):
    for matches, actions in RULES:
        if matches(event["call"]["verb"]):
            for action in actions:
                action("r", event)
            break
    else:
        return "nobody"
    return "done"


def way_items(event, ctx):
    for word, actions in ACTIONS.items():
        if word == event["call"]["verb"]:
            for action in actions:
                action(word, event)
    return "done"


def way_hooks(event, ctx):
    return ",".join([hook(event) for hook in HOOKS[event["call"]["verb"]]])


def way_hooks_get(event, ctx):
    found = []
    for hook in HOOKS.get(event["call"]["verb"], []):
        found.append(hook(event))
    return json.dumps(found)


def way_later(event, ctx):
    for hook in LATER.get(event["call"]["verb"], []):
        hook(event)
    return "later"


CHECKS = []
BY_WORD = {}


def first(event):
    lines.post("later", event["call"]["verb"])
    return "x"


def second(event):
    return event["call"]["path"]


CHECKS.append(first)
CHECKS.append(second)
BY_WORD["GET"] = first
BY_WORD["PUT"] = second


def way_checks(event, ctx):
    return ",".join([check(event) for check in CHECKS])


def way_by_word(event, ctx):
    return BY_WORD[event["call"]["verb"]](event)


def way_map(event, ctx):
    return str(list(map(lambda one: one("p", event), ACTIONS["GET"])))


def way_nested(event, ctx):
    return str([one("n", event) for actions in ACTIONS.values() for one in actions])


def way_set(event, ctx):
    return str(sorted({one("n", event) for one in ACTIONS["GET"]}))


def way_any(event, ctx):
    return str(any(one("", event) for one in ACTIONS["GET"]))


def way_both(event, ctx):
    done = []
    for one in ACTIONS["GET"]:
        done.append(one("b", event))
    for one in ACTIONS["PUT"]:
        done.append(one("b", event))
    return json.dumps(done)
