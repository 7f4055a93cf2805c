import functools
import json

from ostermere import lines


def requires_role(*roles):
    def decorator(handler):
        @functools.wraps(handler)
        def wrapper(event, ctx):
            who = event.get("who")
            if who is None:
                return {"code": 401, "fields": {"www-authenticate": "Bearer"}}
            if who["claims"].get("role") not in roles:
                return {"code": 403, "content": json.dumps({"message": "Forbidden"}), "fields": {"content-type": "application/json"}}
            return handler(event, ctx, who["id"])
        return wrapper
    return decorator


def json_body(handler):
    @functools.wraps(handler)
    def wrapper(event, ctx, *args):
        try:
            body = json.loads(event["content"])
        except json.JSONDecodeError as e:
            return {"code": 400, "content": json.dumps({"message": f"bad JSON at {e.pos}"}), "fields": {"content-type": "application/json"}}
        return handler(event, ctx, *args, body=body)
    return wrapper


@requires_role("warden", "admin")
@json_body
def run(event, ctx, user, body):
    accepted, rejected = 0, []
    for number, item in enumerate(body):
        if "kg" not in item:
            rejected.append({"index": number, "reason": "no kg"})
            continue
        lines.post("weights", json.dumps({**item, "by": user}), notes={"source": "bulk"})
        accepted += 1
    return {
        "code": 207 if rejected else 202,
        "fields": {"content-type": "application/json"},
        "content": json.dumps({"accepted": accepted, "rejected": rejected}),
    }
