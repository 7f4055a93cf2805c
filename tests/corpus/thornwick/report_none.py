from thornwick import Reply, shelves


def run(request):
    data = shelves.read("reports", request.parts["name"] + ".txt")
    if data is None:
        return Reply("no such report", status=404)
    request.run.say("read", bytes=len(data))
    return Reply(data, heads=[("content-type", "text/plain")])
