from quillhaven import on, shelves


@on.task("report_visit")
@on.route("/reports/{name}", methods=["GET"])
def run(visit, desk):
    try:
        data = shelves.take("reports", f"{visit.names['name']}.txt")
    except KeyError:
        return {"status": 404}
    reply = {"status": 200, "headers": [("content-type", "text/plain")], "data": data}
    if visit.headers.get("If-None-Match"):
        reply["headers"].append(("x-asked", visit.headers.get("if-none-match")))
    return reply
