"""Ways in which objects and answers hold something, and others look at it or change it."""

from dataclasses import dataclass, asdict
from dataclasses import dataclass, field
import copy


def way_reply_name_break(event, ctx):
    r = {"code": 200}
    while True:
        r["content"] = event["call"]["verb"]
        break
    return r






def way_reply_name_other(event, ctx):
    r = {"code": 200, "content": "a"}
    s = r
    s["code"] = 299
    return r








def way_reply_name_update(event, ctx):
    r = {"code": 200}
    r.update(content="up", code=201)
    return r






class KClassAttr:
    held = None


def way_class_attr(event, ctx):
    KClassAttr.held = event["call"]
    return {"code": 200, "content": KClassAttr.held["verb"]}










class KClsSetattr:
    def __init__(self, e):
        self.e = e

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_setattr(event, ctx):
    k = KClsSetattr(event)
    setattr(k, "e", {"call": {"verb": "none"}})
    return {"code": 200, "content": k.verb()}










class KClsDel:
    e = {"call": {"verb": "class"}}

    def __init__(self, e):
        self.e = e
        del self.e

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_del(event, ctx):
    return {"code": 200, "content": KClsDel(event).verb()}










class KClsGetattr:
    def __init__(self, e):
        self.e = e


def way_cls_getattr(event, ctx):
    k = KClsGetattr(event)
    return {"code": 200, "content": getattr(k, "e")["call"]["verb"]}










class KClsVars:
    def __init__(self, e):
        self.e = e


def way_cls_vars(event, ctx):
    k = KClsVars(event)
    return {"code": 200, "content": vars(k)["e"]["call"]["verb"]}










class KClsGetattribute:
    def __init__(self, e):
        self.e = e

    def __getattribute__(self, name):
        return {"call": {"verb": name}}


def way_cls_getattribute(event, ctx):
    k = KClsGetattribute(event)
    return {"code": 200, "content": k.e["call"]["verb"]}










class KClsObjectSetattr:
    def __init__(self, e):
        object.__setattr__(self, "e", e)

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_object_setattr(event, ctx):
    return {"code": 200, "content": KClsObjectSetattr(event).verb()}












class KClsNew:
    def __new__(cls, e):
        made = super().__new__(cls)
        made.e = e
        return made


def way_cls_new(event, ctx):
    return {"code": 200, "content": KClsNew(event).e["call"]["verb"]}












class AClsSubclassAttr:
    def __init__(self, e):
        self.e = e


class BClsSubclassAttr(AClsSubclassAttr):
    def __init__(self, e):
        super().__init__(e)
        self.e = e["call"]


def way_cls_subclass_attr(event, ctx):
    return {"code": 200, "content": BClsSubclassAttr(event).e["verb"]}


















class KClsIter:
    def __init__(self, e):
        self.e = e

    def __iter__(self):
        yield self.e["call"]["verb"]


def way_cls_iter(event, ctx):
    return {"code": 200, "content": "".join(KClsIter(event))}










class KClsCtx:
    def __init__(self, e):
        self.e = e

    def __enter__(self):
        return self.e

    def __exit__(self, *a):
        pass


def way_cls_ctx(event, ctx):
    with KClsCtx(event) as e:
        return {"code": 200, "content": e["call"]["verb"]}
