"""Ways in which an answer is put together."""

from collections import namedtuple
from dataclasses import dataclass, asdict
from http import HTTPStatus
from json import loads, dumps as d
from typing import TypedDict
from urllib.parse import parse_qs, parse_qsl
from urllib.parse import parse_qsl
import base64
import json
import json as j


class KOwnEncode:
    def encode(self):
        return "text"


def way_own_encode(event, ctx):
    return {"code": 200, "content": KOwnEncode().encode()}


class KOwnDecode:
    def decode(self):
        return None


def way_own_decode(event, ctx):
    return {"code": 200, "content": KOwnDecode().decode()}


class KOwnJoin:
    def join(self, x):
        return "j"


def way_own_join(event, ctx):
    return {"code": 200, "content": KOwnJoin().join([])}


def way_json_alias(event, ctx):
    return {"code": 200, "content": d(loads('{"a": 1}')) + j.dumps(event["call"]["verb"])}


def way_json_kw(event, ctx):
    return {"code": 200, "content": json.dumps({"b": 1, "a": event["call"]["verb"]}, sort_keys=True, indent=1)}


def way_status_str(event, ctx):
    return {"code": int("20" + "1"), "content": "x"}


def way_status_bool(event, ctx):
    return {"code": 200 + True, "content": "x"}


def way_status_enum(event, ctx):
    return {"code": HTTPStatus.CREATED, "content": "x"}


def way_status_enum_value(event, ctx):
    return {"code": HTTPStatus.CREATED.value, "content": HTTPStatus.CREATED.phrase}


def way_headers_var(event, ctx):
    h = {"content-type": "text/html"}
    if event["call"]["verb"] == "GET":
        h["x-a"] = "1"
    h.update({"x-b": "2"})
    return {"code": 200, "fields": h, "content": "x"}


def way_headers_comp(event, ctx):
    return {"code": 200, "fields": {k: v for k, v in [("X-A", "1"), ("content-type", "a/b")]}, "content": "x"}


BASEHeadersMerge = {"content-type": "text/html", "x-a": "0"}


def way_headers_merge(event, ctx):
    return {"code": 200, "fields": {**BASEHeadersMerge, "x-a": "1"}, "content": "x"}


BASEHeadersOr = {"content-type": "text/html", "x-a": "0"}


def way_headers_or(event, ctx):
    return {"code": 200, "fields": BASEHeadersOr | {"X-A": "1"}, "content": "x"}


def way_headers_case(event, ctx):
    return {"code": 200, "fields": {"Content-Type": "text/html", "content-type": "text/plain"}, "content": "x"}


def way_headers_none(event, ctx):
    return {"code": 200, "fields": None, "content": "x"}


def way_headers_num(event, ctx):
    return {"code": 200, "fields": {"x-n": 3}, "content": "x"}


def way_headers_echo(event, ctx):
    return {"code": 200, "fields": event["fields"], "content": "x"}


def way_headers_echo2(event, ctx):
    return {
        "code": 200,
        "fields": {"x-a": event["fields"]["x-a"], **{k: v for k, v in event["fields"].items() if k.startswith("x-")}},
        "content": "x",
    }


def way_crumbs(event, ctx):
    return {"code": 200, "crumbs": ["a=1; Path=/", "b=2"], "content": "x"}


def way_crumbs_fields(event, ctx):
    return {"code": 200, "fields": {"set-cookie": "a=1"}, "crumbs": ["b=2"], "content": "x"}


def way_content_none(event, ctx):
    return {"code": 200, "content": None}


def way_content_empty(event, ctx):
    return {"code": 200, "content": ""}


def way_content_either(event, ctx):
    return {"code": 200, "content": event["call"]["search"] or None}


def way_content_num(event, ctx):
    return {"code": 200, "content": 3}


def way_content_dict(event, ctx):
    return {"code": 200, "content": {"a": 1}}


def way_content_bytes(event, ctx):
    return {"code": 200, "content": b"abc"}


def way_packed(event, ctx):
    return {"code": 200, "content": base64.b64encode(b"\xff\x00").decode(), "packed": True}


def way_packed_var(event, ctx):
    data = base64.b64encode(b"\xff\x00").decode()
    packed = len(data) > 1
    return {"code": 200, "content": data, "packed": packed}


def way_packed_false(event, ctx):
    return {"code": 200, "content": "abc", "packed": False}


def way_packed_str(event, ctx):
    return {"code": 200, "content": "YWJj", "packed": "yes"}


def way_packed_bad(event, ctx):
    return {"code": 200, "content": "not base64!", "packed": True}


def way_reply_extra(event, ctx):
    return {"code": 200, "content": "x", "more": 1}


def way_reply_nocode(event, ctx):
    return {"content": "x"}


def way_reply_text(event, ctx):
    return f"hello {event['call']['verb']}"


def way_reply_none(event, ctx):
    event["call"]["verb"]


def way_reply_num(event, ctx):
    return 3


def way_reply_list(event, ctx):
    return ["a"]


def way_reply_tuple(event, ctx):
    return {"code": 200}, 3


def way_reply_dictcall(event, ctx):
    return dict(code=201, content="x")


BASEReplyCopy = {"code": 200, "content": "x"}


def way_reply_copy(event, ctx):
    return BASEReplyCopy.copy()


BASEReplyCopy2 = {"code": 200, "content": "x"}


def way_reply_copy2(event, ctx):
    r = dict(BASEReplyCopy2)
    r["code"] = 202
    return r


BASEReplyConst = {"code": 200, "content": "x"}


def way_reply_const(event, ctx):
    return BASEReplyConst


BASEReplyConstChanged = {"code": 200, "content": "x"}


def way_reply_const_changed(event, ctx):
    BASEReplyConstChanged["code"] += 1
    return BASEReplyConstChanged


BASEReplyMerge = {"code": 200, "content": "x"}


def way_reply_merge(event, ctx):
    return {**BASEReplyMerge, "code": 203}


def way_reply_ternary(event, ctx):
    return {"code": 200, "content": "x"} if event["call"]["verb"] == "GET" else None


def way_reply_or(event, ctx):
    return None or {"code": 200, "content": "x"}


def way_reply_walrus(event, ctx):
    if r := {"code": 200, "content": "x"}:
        return r


def way_reply_finally(event, ctx):
    try:
        return {"code": 200, "content": "x"}
    finally:
        ctx.note("bye")


def way_reply_finally2(event, ctx):
    try:
        return {"code": 200, "content": "x"}
    finally:
        return {"code": 201, "content": "y"}


class RReplyClass(dict):
    pass


def way_reply_class(event, ctx):
    return RReplyClass(code=200, content="x")


@dataclass
class RReplyDc:
    code: int
    content: str


def way_reply_dc(event, ctx):
    return asdict(RReplyDc(200, "x"))


RReplyNt = namedtuple("R", "code content")


def way_reply_nt(event, ctx):
    return RReplyNt(200, "x")._asdict()


def made_reply_helper(code, content, **fields):
    return {"code": code, "fields": fields, "content": content}


def way_reply_helper(event, ctx):
    return made_reply_helper(200, "x", a="1")


def made_reply_helper_default(content, code=200, fields=None):
    r = {"code": code, "content": content}
    if fields:
        r["fields"] = fields
    return r


def way_reply_helper_default(event, ctx):
    return (
        made_reply_helper_default("x", fields={"x-a": "1"})
        if event["call"]["verb"] == "GET"
        else made_reply_helper_default("y", 404)
    )


def made_reply_helper_used(content, code=200):
    return {"code": code, "content": content}


def way_reply_helper_used(event, ctx):
    r = made_reply_helper_used("x")
    r["code"] += 1
    ctx.note(str(r["code"]))
    return r


def made_reply_helper_inspected(content, code=200):
    return {"code": code, "content": content}


def way_reply_helper_inspected(event, ctx):
    r = made_reply_helper_inspected("x")
    return r if r["code"] == 200 else made_reply_helper_inspected("no", 500)


def inner_reply_nested(e):
    return {"code": 200, "content": "inner"}


def way_reply_nested(event, ctx):
    r = inner_reply_nested(event)
    return {**r, "content": r["content"] + "!"}


def inner_reply_try(e):
    raise ValueError("bad")


def way_reply_try(event, ctx):
    try:
        return inner_reply_try(event)
    except ValueError as e:
        return {"code": 400, "content": str(e)}


def way_reply_loop(event, ctx):
    for n in range(3):
        if n == 1:
            return {"code": 200 + n, "content": str(n)}
    return None


def way_reply_lambda(event, ctx):
    g = lambda c: {"code": c, "content": "x"}
    return g(200)


def ok_reply_map(e):
    return {"code": 200, "content": "ok"}


def no_reply_map(e):
    return {"code": 405, "content": "no"}


MReplyMap = {"GET": ok_reply_map}


def way_reply_map(event, ctx):
    return MReplyMap.get(event["call"]["verb"], no_reply_map)(event)


def way_reply_match(event, ctx):
    match event["call"]["verb"]:
        case "GET" | "HEAD":
            return {"code": 200, "content": "got"}
        case v:
            return {"code": 405, "content": v}


def way_reply_genlist(event, ctx):
    return {"code": 200, "content": "".join(x for x in ("a", "b"))}


def way_reply_iter(event, ctx):
    return {"code": 200, "content": (x for x in ("a", "b"))}


def way_reply_raise(event, ctx):
    raise RuntimeError("boom " + event["call"]["verb"])


def way_reply_pop(event, ctx):
    r = {"code": 200, "content": "x", "tmp": 1}
    r.pop("tmp")
    return r


class RReplyTyped(TypedDict, total=False):
    code: int
    content: str


def way_reply_typed(event, ctx) -> RReplyTyped:
    return RReplyTyped(code=200, content="x")


def way_reply_setdefault(event, ctx):
    r = {"content": "x"}
    r.setdefault("code", 204 if False else 206)
    return r


def way_reply_deepset(event, ctx):
    r = {"code": 200, "fields": {}, "content": "x"}
    r["fields"]["x-a"] = "1"
    r["fields"].update({"x-b": "2"})
    return r


def way_reply_key_var(event, ctx):
    k = "content"
    return {"code": 200, k: "x"}


def way_reply_aug(event, ctx):
    r = {"code": 200, "content": "x"}
    r["content"] += "y"
    return r


def way_reply_cond_del(event, ctx):
    r = {"code": 200, "fields": {"x-a": "1"}, "content": "x"}
    if event["call"]["verb"] == "GET":
        r.pop("fields", None)
    return r


def way_reply_two_names(event, ctx):
    a = b = {"code": 200, "content": "x"}
    a["content"] = "y"
    return b


def way_reply_in_list(event, ctx):
    rs = [{"code": 200, "content": "a"}, {"code": 201, "content": "b"}]
    return rs[1]


def way_reply_max(event, ctx):
    return max([{"code": 200, "content": "a"}, {"code": 201, "content": "b"}], key=lambda r: r["code"])


def way_reply_stringcode(event, ctx):
    return {"code": "200", "content": "a"}


def way_reply_cookie_read(event, ctx):
    from http.cookies import SimpleCookie

    c = SimpleCookie()
    c["a"] = "b"
    return {"code": 200, "fields": {"set-cookie": c.output(header="").strip()}, "content": "x"}


def way_body_json_default(event, ctx):
    data = json.loads(event["content"] or "{}")
    return {"code": 200, "content": json.dumps(data.get("a", "none"))}


def way_body_json_try(event, ctx):
    try:
        data = json.loads(event["content"])
    except json.JSONDecodeError:
        return {"code": 400, "content": "bad"}
    except TypeError:
        return {"code": 400, "content": "none"}
    return {"code": 200, "content": json.dumps(data)}


def way_body_form(event, ctx):
    q = parse_qs(event["call"]["search"])
    p = dict(parse_qsl(event["call"]["search"], keep_blank_values=True))
    return {"code": 200, "content": str(q) + str(p)}


def way_query_loop(event, ctx):
    out = []
    for k, v in parse_qsl(event["call"]["search"]):
        if k == "a":
            continue
        out.append(k + v)
    return {"code": 200, "content": "".join(out)}


def way_header_loop(event, ctx):
    found = None
    for k in event["fields"]:
        if k.lower() == "x-a":
            found = event["fields"][k]
            break
    return {"code": 200, "content": str(found)}


def way_header_get_or(event, ctx):
    h = {k.lower(): v for k, v in event["fields"].items()}
    return {"code": 200, "content": h.get("x-a") or h.get("x-b") or "none"}
