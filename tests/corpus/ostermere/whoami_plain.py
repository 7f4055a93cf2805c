import json


def run(event, ctx):
    who = event["who"]
    if not who:
        return {"code": 401, "fields": {"www-authenticate": "Bearer"}}
    role = who["claims"].get("role", "member")
    return {"code": 200, "content": json.dumps({"id": who["id"], "role": role})}
