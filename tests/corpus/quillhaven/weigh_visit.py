import json

from quillhaven import on


@on.task("weigh_visit", settings={"UNIT": "kg"})
@on.route("/hives/{hive}/weight", methods=["GET"])
def run(visit, desk):
    query = visit.url.query
    days = query.get_all("day")
    if len(days) == 0:
        desk.write("no day", path=visit.url.raw_path)
        return {"status": 400, "data": "which day?"}
    unit = query.get("unit", "kg")
    return {
        "status": 200,
        "headers": [("content-type", "application/json"), ("x-unit", unit)],
        "data": json.dumps({"hive": visit.names["hive"], "days": days}),
    }
