import json

from thornwick import Reply


def run(request):
    caller = request.caller
    if caller is None:
        return Reply(status=401)
    return Reply(json.dumps([caller["uid"], caller["facts"].get("role"), request.peer]))
