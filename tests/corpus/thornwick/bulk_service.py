import json
import logging

from thornwick import Reply, lanes

logger = logging.getLogger("bulk")


class Publisher:
    def __init__(self, lane):
        self._lane = lane
        self.sent = 0

    def publish(self, message, **notes):
        lanes.send(self._lane, json.dumps(message), media="application/json", notes=notes)
        self.sent += 1


class BulkService:
    def __init__(self, publisher):
        self._publisher = publisher

    def accept(self, items, user):
        problems = []
        for item in items:
            if not isinstance(item, dict) or "kg" not in item:
                problems.append(item)
            else:
                self._publisher.publish({**item, "by": user}, by=user)
        return problems


def _json(status, payload):
    return Reply(json.dumps(payload), status, [("content-type", "application/json")])


def run(request):
    caller = request.caller
    if not caller or caller["facts"].get("role") != "warden":
        return _json(403, {"error": "forbidden"})
    try:
        items = request.json()
    except ValueError:
        return _json(400, {"error": "no JSON"})
    if not isinstance(items, list):
        return _json(400, {"error": "a list, please"})
    publisher = Publisher("weights")
    problems = BulkService(publisher).accept(items, caller["uid"])
    logger.info("published %d", publisher.sent)
    return _json(200, {"sent": publisher.sent, "problems": problems})
