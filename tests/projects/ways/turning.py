"""Ways in which a name comes to hold one thing or another, by where the code went before it is read."""

import contextlib
import inspect
import io
import sys


def way_break(event, ctx):
    x = event["call"]
    while True:
        if len("ab") == 2:
            x = {"verb": "none"}
            break
    return {"code": 200, "content": x["verb"]}






def way_break_else(event, ctx):
    x = event["call"]
    for n in range(3):
        if n == 1:
            x = {"verb": "none"}
            break
    else:
        x = event["call"]
    return {"code": 200, "content": x["verb"]}






def way_suppress3(event, ctx):
    x = event["call"]
    with contextlib.suppress(KeyError):
        x = {"verb": "none"}
        {}["q"]
        x = event["call"]
    return {"code": 200, "content": x["verb"]}






def way_walrus_or(event, ctx):
    x = event["call"]
    y = len("ab") == 3 or (x := {"verb": "none"})
    return {"code": 200, "content": x["verb"]}






def way_walrus_any(event, ctx):
    x = event["call"]
    y = any((x := {"verb": str(n)}) for n in range(2))
    return {"code": 200, "content": x["verb"]}






def way_walrus_while(event, ctx):
    x = event["call"]
    n = 0
    while n < 2 and (x := {"verb": "none"}):
        n += 1
    return {"code": 200, "content": x["verb"]}






def way_class_over(event, ctx):
    x = event["call"]
    if len("ab") == 2:

        class x:
            pass

    return {"code": 200, "content": "called" if callable(x) else x["verb"]}






def way_match_capture(event, ctx):
    match event:
        case {"call": {"verb": v}}:
            return {"code": 200, "content": v}
    return {"code": 500}






def way_finally_over(event, ctx):
    x = event["call"]
    try:
        try:
            {}["q"]
        finally:
            x = {"verb": "none"}
    except KeyError:
        pass
    return {"code": 200, "content": x["verb"]}






def way_locals(event, ctx):
    x = event["call"]
    return {"code": 200, "content": locals()["x"]["verb"]}






def way_vars(event, ctx):
    return {"code": 200, "content": vars()["event"]["call"]["verb"]}








def way_nested_break(event, ctx):
    x = event["call"]
    for n in range(2):
        for m in range(2):
            if m:
                x = {"verb": "none"}
                break
        else:
            continue
        break
    return {"code": 200, "content": x["verb"]}






def way_except_continue(event, ctx):
    x = event["call"]
    for n in range(2):
        try:
            {}["a"]
        except KeyError:
            x = {"verb": "none"}
            continue
        x = event["call"]
    return {"code": 200, "content": x["verb"]}






def way_aug(event, ctx):
    x = event["call"]["verb"]
    x += "!"
    return {"code": 200, "content": x}






def way_genexp_late(event, ctx):
    x = event["call"]
    g = (x["verb"] for n in range(1))
    x = {"verb": "none"}
    return {"code": 200, "content": next(g)}






def way_default_mutable(event, ctx, memo={}):
    memo.setdefault("x", event["call"])
    return {"code": 200, "content": memo["x"]["verb"]}






def way_unbound(event, ctx):
    if len("a") == 2:
        x = event["call"]
    try:
        return {"code": 200, "content": x["verb"]}
    except UnboundLocalError:
        return {"code": 200, "content": "gone"}






def way_order(event, ctx):
    try:
        return {"code": 200, "content": x["verb"]}
    except UnboundLocalError:
        x = event["call"]
        return {"code": 200, "content": "gone"}








XGlobalVar = None


def way_global_var(event, ctx):
    global XGlobalVar
    XGlobalVar = event["call"]
    return {"code": 200, "content": g_global_var()}


def g_global_var():
    return XGlobalVar["verb"]






def way_closure_two_b(event, ctx):
    x = event["call"]

    def g():
        return x["verb"]

    a = g()
    x = {"verb": "none"}
    return {"code": 200, "content": a + g()}






def way_closure_param(event, ctx):
    def g():
        return event["verb"] if "verb" in event else "not"

    a = g()
    event = event["call"]
    return {"code": 200, "content": a + g()}






def way_closure_loop(event, ctx):
    fs = []
    for key in ("verb", "path"):
        x = event["call"]

        def g():
            return x[key]

        fs.append(g)
    return {"code": 200, "content": ",".join(g() for g in fs)}






def way_reply_type_break(event, ctx):
    body = "text"
    for _ in range(2):
        if event["call"]["verb"] == "GET":
            body = b"bytes".decode() + "!"
            break
        body = "z"
    return {"code": 200, "content": body}






def way_walrus_in_test(event, ctx):
    if len("a") == 1 and (x := event["call"]["verb"]):
        return {"code": 200, "content": x}
    return {"code": 201}






class SOwnSuppress:
    def __enter__(self):
        return self

    def __exit__(self, *a):
        return True


def way_own_suppress(event, ctx):
    x = event["call"]
    with SOwnSuppress():
        x = {"verb": "none"}
        {}["q"]
        x = event["call"]
    return {"code": 200, "content": x["verb"]}






def pick_ret_break(event):
    x = None
    while True:
        x = event["call"]
        break
    return x


def way_ret_break(event, ctx):
    return {"code": 200, "content": pick_ret_break(event)["verb"]}






def way_sig(event, ctx):
    return {"code": 200, "content": str(len(inspect.signature(way_sig).parameters)) + way_sig.__code__.co_varnames[0]}
