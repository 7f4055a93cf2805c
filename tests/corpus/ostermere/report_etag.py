import hashlib

from ostermere import stores

JSON = {"content-type": "application/json"}


def etag_of(data: bytes) -> str:
    return '"' + hashlib.sha256(data).hexdigest()[:8] + '"'


def run(event, ctx):
    call, fields = event["call"], event["fields"]
    try:
        data = stores.fetch("reports", f"{call['slots']['name']}.txt")
    except LookupError:
        return dict(code=404, fields=JSON, content='{"error": "no such report"}')
    tag = etag_of(data)
    if tag in [one.strip() for one in fields.get("if-none-match", "").split(",")]:
        return dict(code=304, fields={"etag": tag})
    return dict(code=200, fields={**JSON, "etag": tag}, content=data.decode())
