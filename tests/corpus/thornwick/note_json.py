import os

from thornwick import Reply, ledgers


def problem(text, status=400):
    return Reply(text, status)


def run(request):
    try:
        note = request.json()
    except ValueError:
        return problem("not JSON")
    match note:
        case {"by": by, "text": str(text)} if len(text) <= int(os.environ["LONGEST"]):
            ledgers.enter("notes", {"hive": request.parts["hive"], "by": by}, {"text": text})
        case {"by": _}:
            return problem("too long", 413)
        case _:
            return problem("by whom?", status=422)
    return Reply(status=201, heads=[("location", request.path + "/" + by)])
