import json

import thornwick


def run(req):
    params = req.params
    heads = [("content-type", "application/json")]
    body = {name: value for name, value in params.pairs()}
    if "unit" in params:
        heads.append(("x-unit", params.one("unit")))
    if (req.heads.one("Accept") or "").startswith("text/plain"):
        return str(body)
    return thornwick.Reply(json.dumps(body), heads=heads)
