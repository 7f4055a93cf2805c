import json

from thornwick import Reply


def run(request):
    days = request.params.every("day")
    if not days:
        return Reply("which day?", status=400)
    body = {"hive": request.parts["hive"], "days": days, "unit": request.params.one("unit", "kg")}
    return Reply(json.dumps(body), heads=[("Content-Type", "application/json"), ("Cache-Control", "no-store")])
