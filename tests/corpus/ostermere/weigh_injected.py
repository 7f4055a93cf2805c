import json


def run(event, ctx, unit="kg", *, dumps=json.dumps):
    return {"code": 200, "content": dumps({"hive": event["call"]["slots"]["hive"], "unit": unit})}
