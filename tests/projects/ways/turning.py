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


def way_continue(event, ctx):
    x = event["call"]
    for n in range(3):
        if n == 2:
            x = {"verb": "none"}
            continue
    return {"code": 200, "content": x["verb"]}


def way_continue_first(event, ctx):
    x = {"verb": "none"}
    got = []
    for n in range(3):
        got.append(x["verb"])
        if n == 0:
            x = event["call"]
            continue
        x = {"verb": "none"}
    return {"code": 200, "content": ",".join(got)}


def way_break_else(event, ctx):
    x = event["call"]
    for n in range(3):
        if n == 1:
            x = {"verb": "none"}
            break
    else:
        x = event["call"]
    return {"code": 200, "content": x["verb"]}


def way_suppress(event, ctx):
    x = {"verb": "none"}
    with contextlib.suppress(KeyError):
        {}["q"]
        x = event["call"]
    return {"code": 200, "content": x["verb"]}


def way_suppress2(event, ctx):
    x = event["call"]
    with contextlib.suppress(KeyError):
        {}["q"]
        x = {"verb": "none"}
    return {"code": 200, "content": x["verb"]}


def way_suppress3(event, ctx):
    x = event["call"]
    with contextlib.suppress(KeyError):
        x = {"verb": "none"}
        {}["q"]
        x = event["call"]
    return {"code": 200, "content": x["verb"]}


def way_walrus_if(event, ctx):
    x = event["call"]
    y = (x := {"verb": "none"}) if len("ab") == 2 else 3
    return {"code": 200, "content": x["verb"]}


def way_walrus_and(event, ctx):
    x = event["call"]
    len("ab") == 2 and (x := {"verb": "none"})
    return {"code": 200, "content": x["verb"]}


def way_walrus_or(event, ctx):
    x = event["call"]
    y = len("ab") == 3 or (x := {"verb": "none"})
    return {"code": 200, "content": x["verb"]}


def way_walrus_comp(event, ctx):
    x = event["call"]
    y = [x := {"verb": "none"} for n in range(2)]
    return {"code": 200, "content": x["verb"]}


def way_walrus_comp_if(event, ctx):
    x = event["call"]
    y = [n for n in range(2) if (x := {"verb": "none"})]
    return {"code": 200, "content": x["verb"]}


def way_walrus_any(event, ctx):
    x = event["call"]
    y = any((x := {"verb": str(n)}) for n in range(2))
    return {"code": 200, "content": x["verb"]}


def way_walrus_compare(event, ctx):
    x = event["call"]
    y = 1 < 0 < len(x := {"verb": "none"})
    return {"code": 200, "content": x["verb"]}


def way_walrus_call(event, ctx):
    x = event["call"]
    print(x := {"verb": "none"}, file=__import__("io").StringIO())
    return {"code": 200, "content": x["verb"]}


def way_walrus_while(event, ctx):
    x = event["call"]
    n = 0
    while n < 2 and (x := {"verb": "none"}):
        n += 1
    return {"code": 200, "content": x["verb"]}


def way_import_over(event, ctx):
    x = event["call"]
    if len("ab") == 2:
        import string as x
    return {"code": 200, "content": x.digits if hasattr(x, "digits") else x["verb"]}


def way_def_over(event, ctx):
    x = event["call"]
    if len("ab") == 2:

        def x():
            return 1

    return {"code": 200, "content": "called" if callable(x) else x["verb"]}


def way_class_over(event, ctx):
    x = event["call"]
    if len("ab") == 2:

        class x:
            pass

    return {"code": 200, "content": "called" if callable(x) else x["verb"]}


def way_match_partial(event, ctx):
    x = event["call"]
    match {"a": 1, "b": 2}:
        case {"a": x, "b": 3}:
            pass
        case _:
            pass
    return {"code": 200, "content": str(x) if isinstance(x, int) else x["verb"]}


def way_match_bind(event, ctx):
    x = event["call"]
    match {"a": {"verb": "none"}}:
        case {"a": x}:
            pass
    return {"code": 200, "content": x["verb"]}


def way_match_capture(event, ctx):
    match event:
        case {"call": {"verb": v}}:
            return {"code": 200, "content": v}
    return {"code": 500}


def way_match_as(event, ctx):
    match event["call"]:
        case {"verb": "GET" | "PUT" as v, **rest}:
            return {"code": 200, "content": v + str(sorted(rest)[:1])}
    return {"code": 500}


def way_except_name(event, ctx):
    x = event["call"]
    try:
        raise ValueError("e")
    except ValueError as x:
        y = str(x)
    try:
        return {"code": 200, "content": x["verb"]}
    except UnboundLocalError:
        return {"code": 200, "content": "gone " + y}


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


def way_try_in_loop(event, ctx):
    x = event["call"]
    for n in range(2):
        try:
            if n:
                x = {"verb": "none"}
                raise KeyError
        except KeyError:
            break
    return {"code": 200, "content": x["verb"]}


def way_try_return_finally(event, ctx):
    x = event["call"]
    try:
        x = {"verb": "none"}
        return {"code": 200, "content": x["verb"]}
    finally:
        x = event["call"]


def way_locals(event, ctx):
    x = event["call"]
    return {"code": 200, "content": locals()["x"]["verb"]}


def way_eval(event, ctx):
    x = event["call"]
    return {"code": 200, "content": eval("x['verb']")}


def way_eval_event(event, ctx):
    return {"code": 200, "content": eval("event['call']['verb']")}


def way_vars(event, ctx):
    return {"code": 200, "content": vars()["event"]["call"]["verb"]}


def way_frame(event, ctx):
    return {"code": 200, "content": inspect.currentframe().f_locals["event"]["call"]["verb"]}


def get_frame2():
    return sys._getframe(1).f_locals["event"]["call"]["verb"]


def way_frame2(event, ctx):
    return {"code": 200, "content": get_frame2()}


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


def way_with_break(event, ctx):
    x = event["call"]
    for n in range(2):
        with contextlib.nullcontext():
            x = {"verb": "none"}
            break
    return {"code": 200, "content": x["verb"]}


def way_try_break(event, ctx):
    x = event["call"]
    for n in range(2):
        try:
            x = {"verb": "none"}
            break
        finally:
            n = 1
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


def way_match_break(event, ctx):
    x = event["call"]
    while True:
        match 3:
            case 3:
                x = {"verb": "none"}
                break
    return {"code": 200, "content": x["verb"]}


def way_assert(event, ctx):
    x = event["call"]
    try:
        assert (x := {"verb": "none"}), "a"
    finally:
        pass
    return {"code": 200, "content": x["verb"]}


def way_aug(event, ctx):
    x = event["call"]["verb"]
    x += "!"
    return {"code": 200, "content": x}


def way_for_target(event, ctx):
    x = event["call"]
    for x in [{"verb": "none"}]:
        pass
    return {"code": 200, "content": x["verb"]}


def way_for_target_break(event, ctx):
    for x in [event["call"], {"verb": "none"}]:
        if x["verb"] == "none":
            break
    return {"code": 200, "content": x["verb"]}


def way_genexp_late(event, ctx):
    x = event["call"]
    g = (x["verb"] for n in range(1))
    x = {"verb": "none"}
    return {"code": 200, "content": next(g)}


def way_nonlocal(event, ctx):
    x = event["call"]

    def change():
        nonlocal x
        x = {"verb": "none"}

    change()
    return {"code": 200, "content": x["verb"]}


def way_nonlocal_callback(event, ctx):
    x = event["call"]

    def change(_):
        nonlocal x
        x = {"verb": "none"}

    list(map(change, [1]))
    return {"code": 200, "content": x["verb"]}


def way_default_mutable(event, ctx, memo={}):
    memo.setdefault("x", event["call"])
    return {"code": 200, "content": memo["x"]["verb"]}


def way_while_else(event, ctx):
    x = event["call"]
    n = 0
    while n < 2:
        n += 1
    else:
        x = {"verb": "none"}
    return {"code": 200, "content": x["verb"]}


def way_del_branch(event, ctx):
    x = event["call"]
    if len("a") == 1:
        del x
    try:
        return {"code": 200, "content": x["verb"]}
    except UnboundLocalError:
        return {"code": 200, "content": "gone"}


def way_unbound(event, ctx):
    if len("a") == 2:
        x = event["call"]
    try:
        return {"code": 200, "content": x["verb"]}
    except UnboundLocalError:
        return {"code": 200, "content": "gone"}


def way_unbound_loop(event, ctx):
    for n in ():
        x = event["call"]
    try:
        return {"code": 200, "content": x["verb"]}
    except UnboundLocalError:
        return {"code": 200, "content": "gone"}


def way_unbound_try(event, ctx):
    try:
        {}["z"]
        x = event["call"]
    except KeyError:
        pass
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


def way_cond_del_loop(event, ctx):
    parts = []
    x = event["call"]
    for n in range(2):
        parts.append(x["verb"])
        x = {"verb": "none"}
    return {"code": 200, "content": ",".join(parts)}


def g_gen_send(event):
    x = event["call"]
    y = yield x["verb"]
    if y:
        x = y
    yield x["verb"]


def way_gen_send(event, ctx):
    it = g_gen_send(event)
    a = next(it)
    return {"code": 200, "content": a + it.send({"verb": "none"})}


XGlobalVar = None


def way_global_var(event, ctx):
    global XGlobalVar
    XGlobalVar = event["call"]
    return {"code": 200, "content": g_global_var()}


def g_global_var():
    return XGlobalVar["verb"]


def way_chain_loop(event, ctx):
    x = y = z = {"verb": "none"}
    got = []
    for n in range(4):
        got.append(x["verb"])
        x = y
        y = z
        z = event["call"]
    return {"code": 200, "content": ",".join(got)}


def way_closure_two(event, ctx):
    x = {"verb": "none"}

    def g():
        return x["verb"]

    a = g()
    x = event["call"]
    return {"code": 200, "content": a + g()}


def way_closure_two_b(event, ctx):
    x = event["call"]

    def g():
        return x["verb"]

    a = g()
    x = {"verb": "none"}
    return {"code": 200, "content": a + g()}


def way_closure_branch(event, ctx):
    if len("a") == 1:
        x = event["call"]

        def g():
            return x["verb"]

        return {"code": 200, "content": g()}
    return {"code": 201}


def way_closure_branch_b(event, ctx):
    if len("a") == 1:
        x = event["call"]

    def g():
        return x["verb"]

    return {"code": 200, "content": g()}


def way_closure_param(event, ctx):
    def g():
        return event["verb"] if "verb" in event else "not"

    a = g()
    event = event["call"]
    return {"code": 200, "content": a + g()}


def way_closure_lambda(event, ctx):
    x = event["call"]
    g = lambda: x["verb"]
    a = g()
    x = {"verb": "none"}
    return {"code": 200, "content": a + g()}


def way_closure_default(event, ctx):
    x = event["call"]

    def g(y=x):
        return y["verb"]

    x = {"verb": "none"}
    return {"code": 200, "content": g()}


def way_closure_loop(event, ctx):
    fs = []
    for key in ("verb", "path"):
        x = event["call"]

        def g():
            return x[key]

        fs.append(g)
    return {"code": 200, "content": ",".join(g() for g in fs)}


def way_finally_norm(event, ctx):
    try:
        x = event["call"]
    finally:
        y = 1
    return {"code": 200, "content": x["verb"]}


def way_try_else(event, ctx):
    try:
        x = event["call"]
    except KeyError:
        x = {"verb": "none"}
    else:
        x = {"verb": "else"}
    return {"code": 200, "content": x["verb"]}


def way_reply_type_break(event, ctx):
    body = "text"
    for _ in range(2):
        if event["call"]["verb"] == "GET":
            body = b"bytes".decode() + "!"
            break
        body = "z"
    return {"code": 200, "content": body}


def way_guard_key(event, ctx):
    k = "x-a"
    if k in event["fields"]:
        k = "x-b"
        return {"code": 200, "content": event["fields"].get(k, "not")}
    return {"code": 201}


def way_guard_key2(event, ctx):
    q = event["call"]
    for k in ("verb", "nope"):
        if k in q:
            v = q[k]
    return {"code": 200, "content": str(v)}


def way_walrus_in_test(event, ctx):
    if len("a") == 1 and (x := event["call"]["verb"]):
        return {"code": 200, "content": x}
    return {"code": 201}


def way_walrus_in_test2(event, ctx):
    if (x := event["call"].get("verb")) is not None and x == "GET":
        return {"code": 200, "content": x}
    return {"code": 201, "content": str(x)}


def way_with_open(event, ctx):
    with io.StringIO("a") as fh:
        x = event["call"]
        y = fh.read()
    return {"code": 200, "content": x["verb"] + y}


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


def way_gen_close(event, ctx):
    x = event["call"]

    def g():
        nonlocal x
        try:
            yield 1
        finally:
            x = {"verb": "none"}

    for n in g():
        pass
    return {"code": 200, "content": x["verb"]}


def way_dict_store(event, ctx):
    d = {}
    d["x"] = event["call"]
    d["x"] = {"verb": "none"} if len("a") == 2 else d["x"]
    return {"code": 200, "content": d["x"]["verb"]}


def pick_ret_break(event):
    x = None
    while True:
        x = event["call"]
        break
    return x


def way_ret_break(event, ctx):
    return {"code": 200, "content": pick_ret_break(event)["verb"]}


def way_cond_expr_store(event, ctx):
    x = event["call"] if len("a") == 1 else {"verb": "none"}
    return {"code": 200, "content": x["verb"]}


def way_or_store(event, ctx):
    x = None or event["call"]
    return {"code": 200, "content": x["verb"]}


def way_sig(event, ctx):
    return {"code": 200, "content": str(len(inspect.signature(way_sig).parameters)) + way_sig.__code__.co_varnames[0]}
