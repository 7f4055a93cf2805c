import json


def run(visit, log):
    asked = visit["asked"]
    days = asked.get("day", [])
    if not days:
        log.line("no day")
        return {"mark": 400, "load": "which day?"}
    unit = asked["unit"][0] if "unit" in asked else "kg"
    return {"mark": 200, "lines": [("content-type", "application/json")], "load": json.dumps([visit["found"]["hive"], days, unit])}
