from urllib.parse import parse_qs


def run(event, ctx):
    cookies = dict(crumb.split("=", 1) for crumb in event["crumbs"])
    form = parse_qs(event["content"])
    member = form.get("member", [None])[0]
    if member is None:
        return {"code": 403, "content": "who?"}
    if "sid" in cookies:
        return {"code": 200, "crumbs": ["seen=1"], "content": "welcome back"}
    where = form.get("next", ["/"])[0]
    return {"code": 303, "fields": {"location": where}, "crumbs": [f"sid={member}; HttpOnly", "theme=light"]}
