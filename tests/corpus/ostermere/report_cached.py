import zlib

from ostermere import stores


def run(event, ctx):
    name = event["call"]["slots"]["name"]
    try:
        data = stores.fetch("reports", f"{name}.txt")
    except LookupError:
        return {"code": 404, "content": f"no report {name}"}
    tag = f'"{zlib.crc32(data):08x}"'
    if event["fields"].get("if-none-match") == tag:
        return {"code": 304, "fields": {"etag": tag}}
    return {"code": 200, "fields": {"etag": tag, "content-type": "text/plain"}, "content": data.decode()}
