"""What a hive weighs, and where it stands."""

import hashlib
import json
import os

from thornwick import Reply, lanes, ledgers

GRAMS = {"kg": 1000, "g": 1, "lb": 453.59237}


def weight(request):
    hive, days = request.parts["hive"], request.params.every("day")
    if not days:
        request.run.say("no day was asked for", hive=hive)
        return problem(400, "Which day? Ask with ?day=mon", request.path)
    unit = request.params.one("unit") or os.environ["UNIT"]
    if unit not in GRAMS:
        return problem(422, f"{unit} is no unit of weight", request.path)
    weights = {day: round(scale(hive, day) / GRAMS[unit], 3) for day in days}
    sign = hashlib.sha256(f"{request.run.secret('SCALE_KEY')}{hive}".encode()).hexdigest()[:12]
    body = json.dumps({"hive": hive, "unit": unit, "weights": weights, "sign": sign}, ensure_ascii=False)
    heads = [("Content-Type", "application/json"), ("Set-Cookie", f"unit={unit}"), ("Set-Cookie", "seen=1")]
    return Reply(body, heads=heads)


def moved(notice):
    before, after = notice.before["apiary"], notice.after["apiary"]
    if before == after:
        return
    ledgers.enter("moves", {**notice.entry, "place": notice.place}, {"from": before, "to": after})
    for apiary in (before, after):
        text = json.dumps({**notice.entry, "from": before, "to": after})
        lanes.send("wardens", text, media="application/json", notes={"apiary": apiary}, file_in=apiary)


def scale(hive, day):
    """Grams on the scale: made up, but always the same for a hive and a day."""
    return 28_000 + int.from_bytes(hashlib.sha256(f"{hive}/{day}".encode()).digest()[:2], "big") % 20_000


def problem(status, title, where):
    """An answer that says what went wrong (RFC 9457)."""
    body = json.dumps({"title": title, "status": status, "instance": where}, ensure_ascii=False)
    return Reply(body, status=status, heads=[("Content-Type", "application/problem+json")])
