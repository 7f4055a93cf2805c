def run(visit, log):
    cookies = [value for name, value in visit["lines"] if name.lower() == "cookie"]
    form = visit["load"].decode()
    if "member=" not in form:
        return {"mark": 403, "load": "who?"}
    lines = [("set-cookie", "sid=1"), ("set-cookie", "theme=light")]
    return {"mark": 303 if not cookies else 200, "lines": [*lines, ("location", "/")]}
