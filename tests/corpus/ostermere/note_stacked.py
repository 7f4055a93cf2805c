from lib.around import json_body, problems
from ostermere import books


@problems
@json_body
def run(body, hive):
    if not isinstance(body, dict) or "by" not in body:
        return {"code": 422, "content": "by is missing"}
    books.write("notes", {"hive": hive}, {"by": body["by"], "text": body.get("text", "")})
    return {"code": 201, "fields": {"location": f"/hives/{hive}/notes"}}
