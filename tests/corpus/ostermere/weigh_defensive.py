"""Weighs a hive, whatever is asked."""
import json
import logging
import os

log = logging.getLogger(__name__)
FACTORS = {"kg": 1, "g": 1000, "lb": 2.2}


def answer(status, body, **headers):
    fields = {"content-type": "application/json"}
    fields.update(headers)
    return {"code": status, "fields": fields, "content": json.dumps(body)}


def run(event, context):
    call = event.get("call", {})
    slots = call.get("slots") or {}
    first = call.get("first") or {}
    try:
        hive = slots["hive"]
        day = first.get("day")
        if not day:
            return answer(400, {"error": "which day?"})
        unit = first.get("unit", os.environ.get("UNIT", "kg"))
        weight = len(hive) * 10 * FACTORS[unit]
    except KeyError as error:
        log.warning("not known: %s", error)
        return answer(422, {"error": f"not known: {error}"})
    return answer(200, {"hive": hive, "day": day, "weight": weight}, **{"cache-control": "no-store"})
