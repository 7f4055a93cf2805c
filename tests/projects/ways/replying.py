"""Ways in which an answer of a class is put together, and a request is asked."""

from thornwick import Reply
from functools import partial
from urllib.parse import urlsplit, parse_qs
import json


def way_of_none(request):
    return Reply(None)


def way_of_num(request):
    return Reply(3)


def way_of_dict(request):
    return Reply({"a": 1})


def way_of_maybe(request):
    return Reply(request.params.one("zz"))


def way_of_maybe2(request):
    return Reply(request.params.one("zz") or None, heads=[("x-a", "1")])


def way_of_bytes_var(request):
    b = request.read() if request.verb == "GET" else "text"
    return Reply(b)


def way_of_status_only(request):
    return Reply(status=204)


def way_of_status_body(request):
    return Reply("x", 204)


def way_of_heads_tuple(request):
    return Reply("x", heads=(("x-a", "1"), ("x-a", "2")))


def way_of_heads_dict_items(request):
    return Reply("x", heads=list({"x-a": "1", "content-type": "a/b"}.items()))


def way_of_heads_append(request):
    h = [("x-a", "1")]
    h.append(("x-b", request.verb))
    if request.verb == "GET":
        h.append(("x-a", "2"))
    return Reply("x", heads=h)


BASEHeadsStar = [("x-a", "1")]


def way_of_heads_star(request):
    return Reply("x", heads=[*BASEHeadsStar, ("x-b", "2")])


BASEHeadsPlus = [("x-a", "1")]


def way_of_heads_plus(request):
    return Reply("x", heads=BASEHeadsPlus + [("x-b", "2")])


def way_of_heads_comp(request):
    return Reply("x", heads=[(n, str(i)) for i, n in enumerate(["x-a", "x-b"])])


def way_of_heads_echo(request):
    return Reply("x", heads=[(n, v) for n, v in request.heads.pairs() if n.lower().startswith("x-")])


def way_of_heads_cookie(request):
    return Reply("x", heads=[("set-cookie", "a=1"), ("Set-Cookie", "b=2")])


def way_of_heads_zip(request):
    return Reply("x", heads=list(zip(["x-a", "x-b"], ["1", "2"])))


def way_of_heads_gen(request):
    return Reply("x", heads=((n, "1") for n in ("x-a",)))


def way_of_heads_list_of_lists(request):
    return Reply("x", heads=[["x-a", "1"]])


def way_of_heads_none(request):
    return Reply("x", heads=None)


def way_of_heads_num(request):
    return Reply("x", heads=[("x-n", 3)])


def way_of_kwargs(request):
    kw = {"status": 201, "heads": [("x-a", "1")]}
    return Reply("x", **kw)


def way_of_args(request):
    a = ("x", 202)
    return Reply(*a)


def way_of_attr(request):
    r = Reply("x")
    r.status = 203
    return r


def way_of_attr_body(request):
    r = Reply("x", 200, [])
    r.heads.append(("x-a", "1"))
    return r


def way_of_inspect(request):
    r = Reply("x", 200)
    return Reply(str(r.status))


def told_helper(text, status=200, **more):
    return Reply(text, status=status, heads=[(k.replace("_", "-"), v) for k, v in more.items()])


def way_of_helper(request):
    return told_helper("x", x_a="1") if request.verb == "GET" else told_helper("no", 405)


def way_of_text_return(request):
    return "plain"


def way_of_none_return(request):
    return None


def way_of_bytes_return(request):
    return b"abc"


class MineSubclass(Reply):
    pass


def way_of_subclass(request):
    return MineSubclass("x")


OkPartial = partial(Reply, status=201)


def way_of_partial(request):
    return OkPartial("x")


RAlias = Reply


def way_of_alias(request):
    return RAlias("x", 201)


def way_of_json(request):
    return Reply(json.dumps({"a": request.params.every("day")}), heads=[("content-type", "application/json")])


def way_of_json_in(request):
    try:
        return Reply(str(request.json()))
    except ValueError as e:
        return Reply("bad", 400)


def way_of_json_in2(request):
    try:
        d = json.loads(request.text() or "null")
    except json.JSONDecodeError:
        d = "bad"
    return Reply(str(d))


def way_of_caller(request):
    return Reply((request.caller or {}).get("uid", "nobody"))


def way_of_caller2(request):
    if not request.caller:
        return Reply("no", 401)
    return Reply(request.caller["uid"])


def way_of_parts(request):
    return Reply(request.parts.get("one", "-") + str(sorted(request.parts)))


def way_of_params(request):
    return Reply(
        str(
            [
                request.params.one("day"),
                request.params.every("day"),
                request.params.pairs(),
                request.params.one("zz", "d"),
            ]
        )
    )


def way_of_heads(request):
    return Reply(str([request.heads.one("X-A"), request.heads.every("x-a"), request.heads.one("zz", "d")]))


def way_of_attrs(request):
    return Reply("|".join(str(getattr(request, n)) for n in ("verb", "path", "host")))


def way_of_dir(request):
    return Reply(str(hasattr(request, "verb")) + str(hasattr(request, "zz")))


def way_of_method_ref(request):
    get = request.params.one
    return Reply(str(get("day")) + str(get("zz")))


def way_of_method_map(request):
    return Reply(str(list(map(request.params.one, ["day", "zz"]))))


def way_of_vars(request):
    return Reply(str(isinstance(request, object)))


def way_of_match(request):
    match request.verb, request.path.split("/"):
        case "GET", [_, first, *rest]:
            return Reply(first + str(len(rest)))
        case _:
            return Reply("other")


def way_of_cond_chain(request):
    verb = request.verb
    code = 200 if verb == "GET" else 201 if verb == "PUT" else 405
    return Reply(verb, code)


def way_of_url(request):
    u = urlsplit(f"{request.scheme}://{request.host}{request.path}?{request.search}")
    return Reply(u.netloc + str(parse_qs(u.query)))


def way_of_multi_return(request):
    return Reply("a"), 3


def way_of_raise(request):
    raise KeyError(request.verb)
