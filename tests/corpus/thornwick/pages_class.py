import json
from dataclasses import asdict, dataclass, field

from thornwick import Reply, ledgers


@dataclass
class Page:
    items: list = field(default_factory=list)
    total: int = 0
    next: str | None = None


@dataclass(frozen=True)
class Query:
    limit: int
    after: str | None
    sort: tuple = ()

    @classmethod
    def of(cls, params):
        limit = int(params.one("limit", "20"))
        return cls(min(limit, 100), params.one("after"), tuple(params.every("sort")))


class Hives:
    def __init__(self, apiary):
        self.apiary = apiary

    def all(self):
        entry = ledgers.look("lists", {"apiary": self.apiary})
        return [] if entry is None else entry["hives"]

    def page(self, query):
        hives = self.all()
        begin = 0
        if query.after and query.after in hives:
            begin = hives.index(query.after) + 1
        found = hives[begin:begin + query.limit]
        more = begin + query.limit < len(hives)
        return Page(found, len(hives), found[-1] if more else None)


def run(request):
    try:
        query = Query.of(request.params)
    except ValueError:
        return Reply("limit?", status=400)
    page = Hives(request.parts["apiary"]).page(query)
    heads = [("content-type", "application/json"), ("x-from", request.path)]
    return Reply(json.dumps(asdict(page) | {"sort": query.sort}), status=200, heads=heads)
