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


def way_fetch_json(event, ctx):
    d = json.loads(stores.fetch("b", "k.json"))
    return ok(str(d["n"]))


def way_fetch_absent(event, ctx):
    try:
        return ok(stores.fetch("b", "zz"))
    except LookupError as e:
        return ok("none " + type(e).__name__)


def way_fetch_absent_key(event, ctx):
    try:
        return ok(stores.fetch("b", "zz"))
    except KeyError as e:
        return ok("key")
    except LookupError:
        return ok("lookup")


def way_fetch_absent_exc(event, ctx):
    try:
        data = stores.fetch("b", "zz")
    except Exception as e:
        data = b"fallback"
    return ok(data.decode())


def way_fetch_absent_untried(event, ctx):
    return ok(stores.fetch("b", "zz").decode())


def way_fetch_suppress(event, ctx):
    data = b"dflt"
    with contextlib.suppress(LookupError):
        data = stores.fetch("b", "zz")
    return ok(data.decode())


def get_fetch_helper(key, default=None):
    try:
        return stores.fetch("b", key)
    except LookupError:
        return default


def way_fetch_helper(event, ctx):
    return ok(str(get_fetch_helper("zz")) + str(get_fetch_helper("zz", b"d")) + str(get_fetch_helper("k.json")))


def way_put_text(event, ctx):
    stores.put("b", "new", "grüße")
    return ok("done")


def way_put_result(event, ctx):
    r = stores.put("b", "new", b"x")
    return ok(str(r))


def way_put_kw(event, ctx):
    stores.put(store="b", item="new", data=b"x", form="a/b", labels={"l": "1"})
    return ok("done")


def way_put_star(event, ctx):
    args = ("b", "new", b"x")
    stores.put(*args)
    return ok("done")


def way_put_kwargs(event, ctx):
    stores.put("b", "new", b"x", **{"form": "a/b"})
    return ok("done")


def way_put_none(event, ctx):
    stores.put("b", "new", b"x", None, None)
    return ok("done")


def way_put_labels_var(event, ctx):
    labels = {"a": "1"} if event["call"]["verb"] == "PUT" else None
    stores.put("b", "new", b"x", labels=labels)
    return ok("done")


def way_put_num(event, ctx):
    stores.put("b", "new", 3)
    return ok("done")


def way_put_in_loop(event, ctx):
    for n in range(3):
        stores.put("b", f"n{n}", str(n))
    return ok("done")


def way_put_comp(event, ctx):
    [stores.put("b", f"n{n}", str(n)) for n in range(2)]
    return ok("done")


def way_put_lambda(event, ctx):
    put = lambda k: stores.put("b", k, "x")
    put("a")
    return ok("done")


def way_put_map(event, ctx):
    list(map(lambda k: stores.put("b", k, "x"), ["a", "c"]))
    return ok("done")


put_put_alias = stores.put


def way_put_alias(event, ctx):
    put_put_alias("b", "a", "x")
    return ok("done")


def way_put_module(event, ctx):
    ostermere.stores.put("b", "a", "x")
    return ok("done")


def way_put_local_alias(event, ctx):
    s = stores
    s.put("b", "a", "x")
    return ok("done")


def way_put_getattr(event, ctx):
    getattr(stores, "put")("b", "a", "x")
    return ok("done")


def way_put_partial(event, ctx):
    p = partial(stores.put, "b")
    p("a", "x")
    return ok("done")


def run_put_passed(fn):
    fn("b", "a", "x")


def way_put_passed(event, ctx):
    run_put_passed(stores.put)
    return ok("done")


def way_put_cond(event, ctx):
    (stores.put if event["call"]["verb"] == "GET" else stores.drop)("b", "a", "x")
    return ok("done")


def keep_put_default_arg(key, put=stores.put):
    put("b", key, "x")


def way_put_default_arg(event, ctx):
    keep_put_default_arg("a")
    return ok("done")


class RepoPutClass:
    def __init__(self, store):
        self.store = store

    def save(self, key, data):
        stores.put(self.store, key, data)


def way_put_class(event, ctx):
    RepoPutClass("b").save("a", "x")
    return ok("done")


class RepoPutClassClient:
    def __init__(self, client=stores):
        self.client = client

    def save(self, key, data):
        self.client.put("b", key, data)


def way_put_class_client(event, ctx):
    RepoPutClassClient().save("a", "x")
    return ok("done")


def way_put_thread(event, ctx):
    t = threading.Thread(target=stores.put, args=("b", "a", "x"))
    t.start()
    t.join()
    return ok("done")


def way_drop(event, ctx):
    stores.drop("b", "k.json")
    stores.drop("b", "zz")
    return ok("done")


def way_list(event, ctx):
    return ok(",".join(stores.list("b")) + str(len(stores.list("b", "zz"))) + str(stores.list("b", begins="k")))


def way_list_loop(event, ctx):
    n = 0
    for key in stores.list("b", "k"):
        n += len(stores.fetch("b", key))
    return ok(str(n))


def way_list_index(event, ctx):
    return ok(stores.list("b")[0] + str(sorted(stores.list("b"), reverse=True)))


def way_read(event, ctx):
    row = books.read("t", {"id": 1})
    return ok(str(row["n"]))


def way_read_absent(event, ctx):
    row = books.read("t", {"id": 9})
    if row is None:
        return ok("none")
    return ok(str(row["n"]))


def way_read_or(event, ctx):
    row = books.read("t", {"id": 9}) or {"n": 0}
    row["n"] += 1
    books.write("t", {"id": 9}, row)
    return ok(str(row))


def way_read_walrus(event, ctx):
    if (row := books.read("t", {"id": 1})) and row.get("n"):
        return ok(str(row["n"]))
    return ok("none")


def way_read_get(event, ctx):
    return ok(str((books.read("t", {"id": 1}) or {}).get("zz", "d")))


def way_write_change(event, ctx):
    row = {"n": 1, "id": 3}
    books.write("t", {"id": 3}, row)
    row["n"] = 2
    books.write("t", {"id": 4}, {**row, "more": [1, {"a": None}]})
    return ok("done")


def way_write_dec(event, ctx):
    books.write("t", {"id": 3}, {"n": 1.5, "s": "x", "b": True, "z": None})
    return ok("done")


def way_add(event, ctx):
    a = books.add("t", {"id": 1}, "n")
    b = books.add("t", {"id": 1}, "n", -2)
    c = books.add("t", {"id": 1}, column="zz", by=5)
    return ok(f"{a} {b} {c}")


def way_post(event, ctx):
    lines.post("q", json.dumps({"a": 1}), {"x": "1"}, "g", "application/json")
    lines.post("q", b"bytes")
    lines.post(line="q", text="t", notes=None)
    return ok("done")


def way_post_try(event, ctx):
    try:
        lines.post("q", "x")
    except Exception as e:
        return ok("failed")
    else:
        return ok("sent")
    finally:
        ctx.note("bye")


def way_post_each(event, ctx):
    msgs = [("q", str(n)) for n in range(2)]
    for q, m in msgs:
        lines.post(q, m)
    return ok("done")


def way_ring(event, ctx):
    bells.ring("moved", "h-1", {"a": 1})
    bells.ring("moved")
    bells.ring("moved", content=[1])
    return ok("done")


def nxt_twice_arg(c=[0]):
    c[0] += 1
    return str(c[0])


def way_twice_arg(event, ctx):
    stores.put("b", nxt_twice_arg(), nxt_twice_arg())
    return ok(nxt_twice_arg())


log_order = []


def note_order(x):
    log_order.append(x)
    return x


def way_order(event, ctx):
    log_order.clear()
    stores.put(item=note_order("k"), data=note_order("d"), store=note_order("b"))
    return ok(",".join(log_order))


def rows_gen():
    for n in (1, 2):
        yield books.read("t", {"id": n})


def way_gen(event, ctx):
    return ok(str([bool(r) for r in rows_gen()]))


def way_nested(event, ctx):
    stores.put("b", "copy", stores.fetch("b", "k.json"))
    return ok(stores.fetch("b", "copy").decode())


def way_rw(event, ctx):
    stores.put("b", "x", "1")
    a = stores.fetch("b", "x")
    stores.drop("b", "x")
    try:
        stores.fetch("b", "x")
    except LookupError:
        return ok(a.decode() + "gone")
    return ok("still")


def way_pool(event, ctx):
    with ThreadPoolExecutor(2) as pool:
        got = list(pool.map(lambda k: stores.fetch("b", k), ["k.json", "m.txt"]))
    return ok(str(len(got)))


def way_match(event, ctx):
    match books.read("t", {"id": 1}):
        case {"n": n}:
            return ok(str(n))
        case None:
            return ok("none")


def way_cond_chain(event, ctx):
    row = books.read("t", {"id": 1}) if event["call"]["verb"] == "GET" else None
    return ok(str(row and row["n"]))


CACHECache = {}


def way_cache(event, ctx):
    if "row" not in CACHECache:
        CACHECache["row"] = books.read("t", {"id": 1})
    return ok(str(CACHECache["row"]["n"]))


@lru_cache
def row_lru(i):
    return books.read("t", {"id": i})


def way_lru(event, ctx):
    return ok(str(row_lru(1)["n"]))


def retry_retry(fn, n=2):
    for at in range(n):
        try:
            return fn()
        except LookupError:
            if at == n - 1:
                return None


def way_retry(event, ctx):
    return ok(str(retry_retry(lambda: stores.fetch("b", "zz"))))


def logged_deco(fn):
    @functools.wraps(fn)
    def inner(*a, **k):
        ctx_log_deco.append(fn.__name__)
        return fn(*a, **k)

    return inner


ctx_log_deco = []


@logged_deco
def save_deco(k):
    stores.put("b", k, "x")


def way_deco(event, ctx):
    save_deco("a")
    return ok(str(ctx_log_deco[-1]))


OPSDictOf = {"GET": lambda: stores.list("b"), "PUT": lambda: []}


def way_dict_of(event, ctx):
    return ok(str(OPSDictOf[event["call"]["verb"]]()))


def way_env(event, ctx):
    stores.put(os.environ.get("BUCKET", "b"), "a", "x")
    return ok("done")


def way_secret(event, ctx):
    return ok(str(len(ctx.sealed("k"))) if False else "none")


def way_left(event, ctx):
    return ok(str(ctx.left_ms() > 0))


def way_note(event, ctx):
    ctx.note("a", b=1)
    log = ctx.note
    log("b")
    return ok(ctx.job)


class RepoClassAttr:
    client = stores

    def save(self, key):
        self.client.put("b", key, "x")


def way_class_attr(event, ctx):
    RepoClassAttr().save("a")
    return ok("done")


class RepoClassAttrFn:
    put = staticmethod(stores.put)


def way_class_attr_fn(event, ctx):
    RepoClassAttrFn.put("b", "a", "x")
    return ok("done")


OPSDictGlobal = {"put": stores.put}


def way_dict_global(event, ctx):
    OPSDictGlobal["put"]("b", "a", "x")
    return ok("done")


def way_dict_local(event, ctx):
    ops = {"put": stores.put}
    ops["put"]("b", "a", "x")
    return ok("done")


def client_returned():
    return stores


def way_returned(event, ctx):
    client_returned().put("b", "a", "x")
    return ok("done")


def putter_returned_fn():
    return stores.put


def way_returned_fn(event, ctx):
    putter_returned_fn()("b", "a", "x")
    return ok("done")


@dataclass
class RepoDataclass:
    client: object = stores

    def save(self, key):
        self.client.put("b", key, "x")


def way_dataclass(event, ctx):
    RepoDataclass().save("a")
    return ok("done")


class RepoInitSelf:
    def __init__(self):
        self.client = stores

    def save(self, key):
        self.client.put("b", key, "x")


def way_init_self(event, ctx):
    RepoInitSelf().save("a")
    return ok("done")


def way_import_whole(event, ctx):
    o.stores.put("b", "a", "x")
    return ok("done")


def way_importlib(event, ctx):
    importlib.import_module("ostermere").stores.put("b", "a", "x")
    return ok("done")


def way_dunder_import(event, ctx):
    __import__("ostermere").stores.put("b", "a", "x")
    return ok("done")


def way_sys_modules(event, ctx):
    sys.modules["ostermere"].stores.put("b", "a", "x")
    return ok("done")


try:
    import ostermere as om
except ImportError:
    om = None


def way_try_import(event, ctx):
    if om:
        om.stores.put("b", "a", "x")
    return ok("done")


def way_monkey(event, ctx):
    old = stores.put
    try:
        stores.put = lambda *a: None
        stores.put("b", "a", "x")
    finally:
        stores.put = old
    return ok("done")


if TYPE_CHECKING:
    from ostermere import stores as typed


def way_type_check(event, ctx):
    stores.put("b", "a", "x")
    return ok("done")


def get_helper_kwonly(key, *, default=None):
    return stores.fetch("b", key) if key == "k.json" else default


def way_helper_kwonly(event, ctx):
    return ok(str(get_helper_kwonly("k.json", default=b"d")) + str(get_helper_kwonly("zz")))


def put_all_helper_varargs(*keys, text="x"):
    for key in keys:
        stores.put("b", key, text)


def way_helper_varargs(event, ctx):
    put_all_helper_varargs("a", "c")
    put_all_helper_varargs(*["d", "e"], text="y")
    put_all_helper_varargs(**{"text": "z"})
    return ok("done")


def put_some_helper_kwargs(**given):
    for key, text in given.items():
        stores.put("b", key, text)


def way_helper_kwargs(event, ctx):
    put_some_helper_kwargs(a="1", c="2")
    return ok("done")


def put_one_helper_paren_default(key, text=("x"), n=(1, 2)):
    stores.put("b", key, text + str(n))


def way_helper_paren_default(event, ctx):
    put_one_helper_paren_default("a")
    put_one_helper_paren_default("c", "y")
    return ok("done")


def put_one_helper_annotated(key: str, text: str = "x", *, form: str | None = None) -> None:
    stores.put("b", key, text, form)


def way_helper_annotated(event, ctx):
    put_one_helper_annotated("a", form="a/b")
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
