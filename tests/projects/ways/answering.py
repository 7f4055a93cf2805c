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










def way_json_alias(event, ctx):
    return {"code": 200, "content": d(loads('{"a": 1}')) + j.dumps(event["call"]["verb"])}






def way_status_bool(event, ctx):
    return {"code": 200 + True, "content": "x"}






def way_headers_var(event, ctx):
    h = {"content-type": "text/html"}
    if event["call"]["verb"] == "GET":
        h["x-a"] = "1"
    h.update({"x-b": "2"})
    return {"code": 200, "fields": h, "content": "x"}








BASEHeadersOr = {"content-type": "text/html", "x-a": "0"}


def way_headers_or(event, ctx):
    return {"code": 200, "fields": BASEHeadersOr | {"X-A": "1"}, "content": "x"}






def way_headers_num(event, ctx):
    return {"code": 200, "fields": {"x-n": 3}, "content": "x"}






def way_crumbs(event, ctx):
    return {"code": 200, "crumbs": ["a=1; Path=/", "b=2"], "content": "x"}






def way_content_empty(event, ctx):
    return {"code": 200, "content": ""}






def way_content_dict(event, ctx):
    return {"code": 200, "content": {"a": 1}}






def way_packed_var(event, ctx):
    data = base64.b64encode(b"\xff\x00").decode()
    packed = len(data) > 1
    return {"code": 200, "content": data, "packed": packed}






def way_packed_bad(event, ctx):
    return {"code": 200, "content": "not base64!", "packed": True}






def way_reply_text(event, ctx):
    return f"hello {event['call']['verb']}"






def way_reply_list(event, ctx):
    return ["a"]






BASEReplyCopy = {"code": 200, "content": "x"}


def way_reply_copy(event, ctx):
    return BASEReplyCopy.copy()










BASEReplyConstChanged = {"code": 200, "content": "x"}


def way_reply_const_changed(event, ctx):
    BASEReplyConstChanged["code"] += 1
    return BASEReplyConstChanged








def way_reply_or(event, ctx):
    return None or {"code": 200, "content": "x"}






def way_reply_finally2(event, ctx):
    try:
        return {"code": 200, "content": "x"}
    finally:
        return {"code": 201, "content": "y"}










RReplyNt = namedtuple("R", "code content")


def way_reply_nt(event, ctx):
    return RReplyNt(200, "x")._asdict()










def made_reply_helper_used(content, code=200):
    return {"code": code, "content": content}


def way_reply_helper_used(event, ctx):
    r = made_reply_helper_used("x")
    r["code"] += 1
    ctx.note(str(r["code"]))
    return r










def inner_reply_try(e):
    raise ValueError("bad")


def way_reply_try(event, ctx):
    try:
        return inner_reply_try(event)
    except ValueError as e:
        return {"code": 400, "content": str(e)}






def ok_reply_map(e):
    return {"code": 200, "content": "ok"}


def no_reply_map(e):
    return {"code": 405, "content": "no"}


MReplyMap = {"GET": ok_reply_map}


def way_reply_map(event, ctx):
    return MReplyMap.get(event["call"]["verb"], no_reply_map)(event)






def way_reply_iter(event, ctx):
    return {"code": 200, "content": (x for x in ("a", "b"))}






class RReplyTyped(TypedDict, total=False):
    code: int
    content: str


def way_reply_typed(event, ctx) -> RReplyTyped:
    return RReplyTyped(code=200, content="x")






def way_reply_key_var(event, ctx):
    k = "content"
    return {"code": 200, k: "x"}






def way_reply_two_names(event, ctx):
    a = b = {"code": 200, "content": "x"}
    a["content"] = "y"
    return b






def way_reply_stringcode(event, ctx):
    return {"code": "200", "content": "a"}






def way_body_json_try(event, ctx):
    try:
        data = json.loads(event["content"])
    except json.JSONDecodeError:
        return {"code": 400, "content": "bad"}
    except TypeError:
        return {"code": 400, "content": "none"}
    return {"code": 200, "content": json.dumps(data)}






def way_header_loop(event, ctx):
    found = None
    for k in event["fields"]:
        if k.lower() == "x-a":
            found = event["fields"][k]
            break
    return {"code": 200, "content": str(found)}


