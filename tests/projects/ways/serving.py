"""Ways in which services are called, handed on and kept."""

import json

from ostermere import bells, books, lines, stores
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from decimal import Decimal
from functools import lru_cache
from functools import partial
from typing import TYPE_CHECKING
import contextlib
import functools
import importlib
import os
import ostermere
import ostermere as o
import sys
import threading


def ok(text):
    return {"code": 200, "content": text if isinstance(text, str) else text.decode()}


def way_fetch(event, ctx):
    return ok(stores.fetch("b", "k.json").decode())






def way_fetch_absent_key(event, ctx):
    try:
        return ok(stores.fetch("b", "zz"))
    except KeyError as e:
        return ok("key")
    except LookupError:
        return ok("lookup")






def way_fetch_suppress(event, ctx):
    data = b"dflt"
    with contextlib.suppress(LookupError):
        data = stores.fetch("b", "zz")
    return ok(data.decode())








def way_put_result(event, ctx):
    r = stores.put("b", "new", b"x")
    return ok(str(r))






def way_put_kwargs(event, ctx):
    stores.put("b", "new", b"x", **{"form": "a/b"})
    return ok("done")






def way_put_num(event, ctx):
    stores.put("b", "new", 3)
    return ok("done")






def way_put_lambda(event, ctx):
    put = lambda k: stores.put("b", k, "x")
    put("a")
    return ok("done")








def way_put_module(event, ctx):
    ostermere.stores.put("b", "a", "x")
    return ok("done")






def way_put_partial(event, ctx):
    p = partial(stores.put, "b")
    p("a", "x")
    return ok("done")








def keep_put_default_arg(key, put=stores.put):
    put("b", key, "x")


def way_put_default_arg(event, ctx):
    keep_put_default_arg("a")
    return ok("done")










def way_put_thread(event, ctx):
    t = threading.Thread(target=stores.put, args=("b", "a", "x"))
    t.start()
    t.join()
    return ok("done")






def way_list_loop(event, ctx):
    n = 0
    for key in stores.list("b", "k"):
        n += len(stores.fetch("b", key))
    return ok(str(n))






def way_read_absent(event, ctx):
    row = books.read("t", {"id": 9})
    if row is None:
        return ok("none")
    return ok(str(row["n"]))






def way_read_get(event, ctx):
    return ok(str((books.read("t", {"id": 1}) or {}).get("zz", "d")))






def way_add(event, ctx):
    a = books.add("t", {"id": 1}, "n")
    b = books.add("t", {"id": 1}, "n", -2)
    c = books.add("t", {"id": 1}, column="zz", by=5)
    return ok(f"{a} {b} {c}")






def way_post_each(event, ctx):
    msgs = [("q", str(n)) for n in range(2)]
    for q, m in msgs:
        lines.post(q, m)
    return ok("done")








log_order = []


def note_order(x):
    log_order.append(x)
    return x


def way_order(event, ctx):
    log_order.clear()
    stores.put(item=note_order("k"), data=note_order("d"), store=note_order("b"))
    return ok(",".join(log_order))








def way_rw(event, ctx):
    stores.put("b", "x", "1")
    a = stores.fetch("b", "x")
    stores.drop("b", "x")
    try:
        stores.fetch("b", "x")
    except LookupError:
        return ok(a.decode() + "gone")
    return ok("still")






def way_cond_chain(event, ctx):
    row = books.read("t", {"id": 1}) if event["call"]["verb"] == "GET" else None
    return ok(str(row and row["n"]))










def retry_retry(fn, n=2):
    for at in range(n):
        try:
            return fn()
        except LookupError:
            if at == n - 1:
                return None


def way_retry(event, ctx):
    return ok(str(retry_retry(lambda: stores.fetch("b", "zz"))))














def way_env(event, ctx):
    stores.put(os.environ.get("BUCKET", "b"), "a", "x")
    return ok("done")






def way_note(event, ctx):
    ctx.note("a", b=1)
    log = ctx.note
    log("b")
    return ok(ctx.job)










OPSDictGlobal = {"put": stores.put}


def way_dict_global(event, ctx):
    OPSDictGlobal["put"]("b", "a", "x")
    return ok("done")








def putter_returned_fn():
    return stores.put


def way_returned_fn(event, ctx):
    putter_returned_fn()("b", "a", "x")
    return ok("done")










def way_import_whole(event, ctx):
    o.stores.put("b", "a", "x")
    return ok("done")






def way_sys_modules(event, ctx):
    sys.modules["ostermere"].stores.put("b", "a", "x")
    return ok("done")


try:
    import ostermere as om
except ImportError:
    om = None






if TYPE_CHECKING:
    from ostermere import stores as typed


def way_type_check(event, ctx):
    stores.put("b", "a", "x")
    return ok("done")










def put_some_helper_kwargs(**given):
    for key, text in given.items():
        stores.put("b", key, text)


def way_helper_kwargs(event, ctx):
    put_some_helper_kwargs(a="1", c="2")
    return ok("done")










class RepoMethodDefault:
    def __init__(self, store="b"):
        self.store = store

    def save(self, key, data="x", *more, **named):
        stores.put(self.store, key, data)


def way_method_default(event, ctx):
    RepoMethodDefault().save("a")
    RepoMethodDefault("b").save("c", "y")
    return ok("done")
