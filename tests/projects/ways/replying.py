"""Ways in which an answer of a class is put together, and a request is asked."""

from thornwick import Reply
from functools import partial
from urllib.parse import urlsplit, parse_qs
import json


def way_of_none(request):
    return Reply(None)






def way_of_maybe(request):
    return Reply(request.params.one("zz"))






def way_of_status_only(request):
    return Reply(status=204)






def way_of_heads_dict_items(request):
    return Reply("x", heads=list({"x-a": "1", "content-type": "a/b"}.items()))








BASEHeadsPlus = [("x-a", "1")]


def way_of_heads_plus(request):
    return Reply("x", heads=BASEHeadsPlus + [("x-b", "2")])






def way_of_heads_cookie(request):
    return Reply("x", heads=[("set-cookie", "a=1"), ("Set-Cookie", "b=2")])






def way_of_heads_list_of_lists(request):
    return Reply("x", heads=[["x-a", "1"]])






def way_of_kwargs(request):
    kw = {"status": 201, "heads": [("x-a", "1")]}
    return Reply("x", **kw)






def way_of_attr_body(request):
    r = Reply("x", 200, [])
    r.heads.append(("x-a", "1"))
    return r








def way_of_text_return(request):
    return "plain"






class MineSubclass(Reply):
    pass


def way_of_subclass(request):
    return MineSubclass("x")










def way_of_json(request):
    return Reply(json.dumps({"a": request.params.every("day")}), heads=[("content-type", "application/json")])






def way_of_caller(request):
    return Reply((request.caller or {}).get("uid", "nobody"))






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






def way_of_dir(request):
    return Reply(str(hasattr(request, "verb")) + str(hasattr(request, "zz")))






def way_of_vars(request):
    return Reply(str(isinstance(request, object)))






def way_of_url(request):
    u = urlsplit(f"{request.scheme}://{request.host}{request.path}?{request.search}")
    return Reply(u.netloc + str(parse_qs(u.query)))




