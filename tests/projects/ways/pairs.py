"""Ways in which handlers that get header fields as pairs find one by its name."""

import json


def header(visit, name, default="-"):
    """Return the first header field of a name."""
    for key, value in visit["lines"]:
        if key.lower() == name.lower():
            return value
    return default


def found(lines, name):
    return next((value for key, value in lines if key == name), None)


def asked(visit, name):
    return dict(visit["lines"]).get(name) or "-"


def say(text):
    return {"mark": 200, "load": text}


def a(visit, log):
    return say(header(visit, "X-A") + header(visit, "x-none", default="?") + header(visit, name="cookie"))


def b(visit, log):
    return say(str([found(visit["lines"], "x-a"), found(visit["lines"], "X-A"), asked(visit, "x-a")]))


def c(visit, log):
    fields = dict(visit["lines"])
    return say(f'{fields.get("x-a")} {fields.get("X-A", "none")} {"x-a" in fields} {"cookie" not in fields}')


def d(visit, log):
    fields = {name.lower(): value for name, value in visit["lines"]}
    return say(json.dumps([fields.get("x-a", "-"), fields.get("cookie"), fields.get("host"), fields.get("content-length")]))


def e(visit, log):
    fields = dict(visit["lines"])
    try:
        return say(fields["x-a"] + fields["x-none"])
    except KeyError as error:
        return say(f"no {error}")


def f(visit, log):
    fields = dict(visit["lines"])
    fields["x-a"] = "mine"
    return say(fields["x-a"] + str(len(fields) > 1))


def g(visit, log):
    fields = dict(visit["lines"])
    return say(json.dumps(fields, sort_keys=True))


def h(visit, log):
    name = "x-a"
    return say(str(dict(visit["lines"]).get(name)) + header(visit, name))


def i(visit, log):
    fields = {name: value for name, value in visit["lines"] if name.startswith("x-")}
    return say(json.dumps(fields))


def j(visit, log):
    one, other = header(visit, "x-a") or "none", [header(visit, word) for word in ("x-a", "x-b")]
    return say(one + ",".join(other))


def k(visit, log):
    fields = dict(visit["lines"])
    return say(fields["x-a"] if "x-a" in fields else "none")


def l(visit, log):
    key = "mine"
    return say(key + header(visit, "x-a", key))


def way_json(visit, log):
    for name, value in visit["lines"]:
        if name.lower() == "accept":
            return say(str(any(part.split(";")[0].strip() == "application/json" for part in value.split(","))))
    return say("none")


def way_broken(visit, log):
    found = None
    for name, value in visit["lines"]:
        if name.lower() == "x-b":
            found = value
            break
    return say(str(found))


def way_last(visit, log):
    found = "none"
    for name, value in visit["lines"]:
        if name.lower() == "x-a":
            found = value.strip()
    return say(str(found))


def way_cookie(visit, log):
    token = ""
    for key, val in visit["lines"]:
        if "cookie" == key.lower():
            for part in val.split(";"):
                if part.strip().startswith("k="):
                    token = part.strip()[2:]
    return say(token)


def way_kept(visit, log):
    for key, val in visit["lines"]:
        if key == "x-b" and val:
            break
    else:
        return say("no")
    return say(f"{key} {val}")


def of(visit):
    return {name.lower(): value for name, value in visit["lines"]}


def told(headers):
    there = headers["x-a"] if "x-a" in headers else "no"
    return there + headers.get("x-b", "none") + str("cookie" in headers)


def way_told(visit, log):
    headers = of(visit)
    return say(told(headers) + headers.get("accept", "*"))


def any_of(headers, *names):
    return [headers.get(name) for name in names if name in headers]


def way_any(visit, log):
    return say(str(any_of(of(visit), "x-b", "content-type")))


def way_commented(visit, log):
    found = "x"
    for key, value in visit["lines"]:
        if key.lower() == "x-a":
            # the first one
            found = value  # told

            break  # enough
    return say(found)


def way_one_line(visit, log):
    found = "none"
    for key, value in visit["lines"]:
        if key.lower() == "x-a":
            found = value; break
    return say(found)
