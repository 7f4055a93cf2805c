"""Ways to use a batch that is another thing at the target."""

import json
import operator


def a(event, ctx):
    for n, line in enumerate(sorted(event["batch"], key=operator.itemgetter("tries"))):
        ctx.note(str(n) + line["ticket"])


def b(event, ctx):
    lines = event["batch"]
    ctx.note(lines[0]["ticket"], count=len(lines))


def c(event, ctx):
    by = {}
    for line in event["batch"]:
        by.setdefault(line["group"], []).append(line)
    for group, lines in by.items():
        ctx.note(str(group), tickets=[line["ticket"] for line in lines])


def d(event, ctx):
    again = []
    for line in event["batch"]:
        try:
            data = json.loads(line["text"])
            ctx.note("got", jars=data["jars"])
        except (ValueError, KeyError):
            again.append(line["ticket"])
    return {"again": again}


def e(event, ctx):
    for line, number in zip(event["batch"], range(10)):
        ctx.note(line["ticket"], number=number)


def f(event, ctx):
    texts = [line["text"] for line in event["batch"] if line["tries"] < 3]
    ctx.note(",".join(texts))


def g(event, ctx):
    while event["batch"]:
        line = event["batch"].pop()
        ctx.note(line["ticket"])


def h(event, ctx):
    total = 0
    for line in event["batch"][:2]:
        total += len(line["text"])
    ctx.note(str(total))


def i(event, ctx):
    first, *rest = event["batch"]
    ctx.note(first["ticket"], rest=len(rest))


def j(event, ctx):
    for line in event["batch"]:
        line["seen"] = True
        ctx.note(str(line["seen"]))


def k(event, ctx):
    list(map(lambda line: ctx.note(line["ticket"]), event["batch"]))


def l(event, ctx):
    for line in reversed(event["batch"]):
        if line["notes"].get("skip"):
            continue
        ctx.note(line["ticket"] + line["at"].__class__.__name__)
