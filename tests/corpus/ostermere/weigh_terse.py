import json
from urllib.parse import parse_qs


def run(event, ctx):
    days = parse_qs(event["call"]["search"]).get("day", [])
    return {"code": 200, "fields": {"content-type": "application/json"}, "content": json.dumps({event["call"]["slots"]["hive"]: days})}
