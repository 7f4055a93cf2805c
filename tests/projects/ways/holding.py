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


def way_reply_name_branch(event, ctx):
    r = {"code": 200, "content": "a"}
    if event["call"]["verb"] == "GET":
        r = {"code": 201, "content": "b"}
    return r


def way_reply_name_loop(event, ctx):
    r = {"code": 200, "content": "a"}
    for n in range(2):
        if n:
            r["code"] = 202
            break
        r = {"code": 203, "content": "c"}
    return r


def way_reply_name_other(event, ctx):
    r = {"code": 200, "content": "a"}
    s = r
    s["code"] = 299
    return r


def way_reply_name_del(event, ctx):
    r = {"code": 200, "content": "a", "fields": {"x-a": "1"}}
    if len("a") == 1:
        del r["fields"]
    return r


def fill_reply_name_func(r):
    r["content"] = "filled"


def way_reply_name_func(event, ctx):
    r = {"code": 200}
    fill_reply_name_func(r)
    return r


def way_reply_name_update(event, ctx):
    r = {"code": 200}
    r.update(content="up", code=201)
    return r


def way_reply_name_or(event, ctx):
    r = {"code": 200}
    r |= {"content": "up"}
    return r


def way_reply_name_alias_list(event, ctx):
    r = {"code": 200, "fields": {}}
    h = r["fields"]
    h["x-a"] = "1"
    return r


class KClassAttr:
    held = None


def way_class_attr(event, ctx):
    KClassAttr.held = event["call"]
    return {"code": 200, "content": KClassAttr.held["verb"]}


class KClsAttrBranch:
    def __init__(self, e):
        self.e = e
        if len("a") == 1:
            self.e = {"call": {"verb": "none"}}

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_attr_branch(event, ctx):
    return {"code": 200, "content": KClsAttrBranch(event).verb()}


class KClsAttrLater:
    def __init__(self, e):
        self.e = e

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_attr_later(event, ctx):
    k = KClsAttrLater(event)
    k.e = {"call": {"verb": "none"}}
    return {"code": 200, "content": k.verb()}


class KClsSetattr:
    def __init__(self, e):
        self.e = e

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_setattr(event, ctx):
    k = KClsSetattr(event)
    setattr(k, "e", {"call": {"verb": "none"}})
    return {"code": 200, "content": k.verb()}


class KClsDict:
    def __init__(self, e):
        self.e = e

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_dict(event, ctx):
    k = KClsDict(event)
    k.__dict__["e"] = {"call": {"verb": "none"}}
    return {"code": 200, "content": k.verb()}


class KClsDictUpdate:
    def __init__(self, **more):
        self.__dict__.update(more)

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_dict_update(event, ctx):
    return {"code": 200, "content": KClsDictUpdate(e=event).verb()}


class KClsDel:
    e = {"call": {"verb": "class"}}

    def __init__(self, e):
        self.e = e
        del self.e

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_del(event, ctx):
    return {"code": 200, "content": KClsDel(event).verb()}


class KClsTwo:
    def __init__(self, e=None):
        self.e = e

    def verb(self):
        return self.e["verb"] if self.e else "empty"


def way_cls_two(event, ctx):
    return {"code": 200, "content": KClsTwo().verb() + KClsTwo(event["call"]).verb() + KClsTwo({"verb": "own"}).verb()}


class KClsAttrUnknown:
    def __init__(self, e):
        self.e = e

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_attr_unknown(event, ctx):
    k = KClsAttrUnknown(event)
    for one in [k]:
        one.e = {"call": {"verb": "none"}}
    return {"code": 200, "content": k.verb()}


class KClsGetattr:
    def __init__(self, e):
        self.e = e


def way_cls_getattr(event, ctx):
    k = KClsGetattr(event)
    return {"code": 200, "content": getattr(k, "e")["call"]["verb"]}


class KClsGetattr2:
    def __init__(self, e):
        self.e = e


def way_cls_getattr2(event, ctx):
    k = KClsGetattr2(event)
    return {"code": 200, "content": ",".join(getattr(k, n)["call"]["verb"] for n in ["e"])}


class KClsDictRead:
    def __init__(self, e):
        self.e = e


def way_cls_dict_read(event, ctx):
    return {"code": 200, "content": ",".join(v["call"]["verb"] for v in KClsDictRead(event).__dict__.values())}


class KClsVars:
    def __init__(self, e):
        self.e = e


def way_cls_vars(event, ctx):
    k = KClsVars(event)
    return {"code": 200, "content": vars(k)["e"]["call"]["verb"]}


@dataclass
class KClsAsdict:
    e: dict


def way_cls_asdict(event, ctx):
    k = KClsAsdict(event["call"])
    return {"code": 200, "content": asdict(k)["e"]["verb"]}


@dataclass
class KClsDataclass:
    e: dict
    v: str = ""

    def __post_init__(self):
        self.v = self.e["call"]["verb"]


def way_cls_dataclass(event, ctx):
    return {"code": 200, "content": KClsDataclass(event).v}


class KClsGetattribute:
    def __init__(self, e):
        self.e = e

    def __getattribute__(self, name):
        return {"call": {"verb": name}}


def way_cls_getattribute(event, ctx):
    k = KClsGetattribute(event)
    return {"code": 200, "content": k.e["call"]["verb"]}


class KClsGetattrFallback:
    def __init__(self, e):
        self._e = e

    def __getattr__(self, name):
        return self._e["call"][name]


def way_cls_getattr_fallback(event, ctx):
    k = KClsGetattrFallback(event)
    return {"code": 200, "content": k.verb}


class KClsSetattrOwn:
    def __setattr__(self, name, value):
        object.__setattr__(self, name, {"call": {"verb": "set"}})

    def __init__(self, e):
        self.e = e


def way_cls_setattr_own(event, ctx):
    k = KClsSetattrOwn(event)
    return {"code": 200, "content": k.e["call"]["verb"]}


class KClsObjectSetattr:
    def __init__(self, e):
        object.__setattr__(self, "e", e)

    def verb(self):
        return self.e["call"]["verb"]


def way_cls_object_setattr(event, ctx):
    return {"code": 200, "content": KClsObjectSetattr(event).verb()}


class KClsProperty:
    def __init__(self, e):
        self.e = e

    @property
    def e(self):
        return {"call": {"verb": "prop"}}

    @e.setter
    def e(self, value):
        pass


def way_cls_property(event, ctx):
    return {"code": 200, "content": KClsProperty(event).e["call"]["verb"]}


class DClsDescriptor:
    def __set__(self, obj, value):
        obj.__dict__["h"] = value

    def __get__(self, obj, cls):
        return {"call": {"verb": "desc"}}


class KClsDescriptor:
    e = DClsDescriptor()

    def __init__(self, e):
        self.e = e


def way_cls_descriptor(event, ctx):
    return {"code": 200, "content": KClsDescriptor(event).e["call"]["verb"]}


class KClsNew:
    def __new__(cls, e):
        made = super().__new__(cls)
        made.e = e
        return made


def way_cls_new(event, ctx):
    return {"code": 200, "content": KClsNew(event).e["call"]["verb"]}


class MClsMeta(type):
    def __call__(cls, e):
        return e["call"]


class KClsMeta(metaclass=MClsMeta):
    def __init__(self, e):
        self.e = e


def way_cls_meta(event, ctx):
    return {"code": 200, "content": KClsMeta(event)["verb"]}


class KClsCopy:
    def __init__(self, e):
        self.e = e


def way_cls_copy(event, ctx):
    k = copy.copy(KClsCopy(event))
    return {"code": 200, "content": k.e["call"]["verb"]}


class AClsSubclassAttr:
    def __init__(self, e):
        self.e = e


class BClsSubclassAttr(AClsSubclassAttr):
    def __init__(self, e):
        super().__init__(e)
        self.e = e["call"]


def way_cls_subclass_attr(event, ctx):
    return {"code": 200, "content": BClsSubclassAttr(event).e["verb"]}


class AClsSharedNames:
    def __init__(self, e):
        self.e = e


class BClsSharedNames:
    def __init__(self):
        self.e = {"call": {"verb": "B"}}


def verb_cls_shared_names(k):
    return k.e["call"]["verb"]


def way_cls_shared_names(event, ctx):
    return {
        "code": 200,
        "content": verb_cls_shared_names(AClsSharedNames(event)) + verb_cls_shared_names(BClsSharedNames()),
    }


class KClsGlobalInstance:
    e = None


k_cls_global_instance = KClsGlobalInstance()


def way_cls_global_instance(event, ctx):
    k_cls_global_instance.e = event
    return g_cls_global_instance()


def g_cls_global_instance():
    return {"code": 200, "content": k_cls_global_instance.e["call"]["verb"]}


class KClsIter:
    def __init__(self, e):
        self.e = e

    def __iter__(self):
        yield self.e["call"]["verb"]


def way_cls_iter(event, ctx):
    return {"code": 200, "content": "".join(KClsIter(event))}


class KClsGetitem:
    def __init__(self, e):
        self.e = e

    def __getitem__(self, n):
        return self.e["call"][n]


def way_cls_getitem(event, ctx):
    return {"code": 200, "content": KClsGetitem(event)["verb"]}


class KClsEq:
    def __init__(self, e):
        self.e = e

    def __eq__(self, other):
        return self.e["call"]["verb"] == other


def way_cls_eq(event, ctx):
    return {"code": 200, "content": str(KClsEq(event) == "GET")}


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
