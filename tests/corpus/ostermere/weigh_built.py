import json


def run(event, ctx):
    reply = {"code": 200, "fields": {"content-type": "application/json"}}
    first = event["call"]["first"]
    if "day" not in first:
        reply["code"] = 400
        reply["content"] = json.dumps({"error": "which day?"})
        return reply
    body = {"day": first["day"]}
    if first.get("unit"):
        body["unit"] = first["unit"]
        reply["fields"]["x-unit"] = first["unit"]
    reply["content"] = json.dumps(body)
    return reply
