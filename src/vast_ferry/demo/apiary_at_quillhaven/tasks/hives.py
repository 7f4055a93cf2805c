"""What a hive weighs, and where it stands."""

import hashlib
import json
import os

from quillhaven import on, trays, volumes

GRAMS = {"kg": 1000, "g": 1, "lb": 453.59237}
HIVES = "hives"


@on.task("hive_weight", python="3.11", memory=256, limit=30, settings={"UNIT": "kg"}, locks={"SCALE_KEY": "lock/scale-key"})
@on.route("/hives/{hive}/weight", methods=["GET"], open_to="everyone")
def weight(visit, desk):
    hive, days = visit.names["hive"], visit.url.query.get_all("day")
    if not days:
        desk.write("no day was asked for", hive=hive)
        return problem(400, "Which day? Ask with ?day=mon", visit.url.raw_path)
    unit = visit.url.query.get("unit") or os.environ["UNIT"]
    if unit not in GRAMS:
        return problem(422, f"{unit} is no unit of weight", visit.url.raw_path)
    weights = {day: round(scale(hive, day) / GRAMS[unit], 3) for day in days}
    sign = hashlib.sha256(f"{desk.unlock('SCALE_KEY')}{hive}".encode()).hexdigest()[:12]
    body = json.dumps({"hive": hive, "unit": unit, "weights": weights, "sign": sign}, ensure_ascii=False)
    return {"status": 200, "headers": [("content-type", "application/json"), ("set-cookie", f"unit={unit}")], "data": body}


@on.task("hive_moved", needs=["send_tray wardens", "write_volume moves"])
@on.event(volume=HIVES, types=["page_edited"])
def moved(event, desk):
    before, after = event.data.before["apiary"], event.data.after["apiary"]
    if before == after:
        return
    volumes.write("moves", {**event.data.key, "sequence": event.sequence}, {"from": before, "to": after})
    for apiary in (before, after):
        trays.send("wardens", json.dumps(event.data.key), "application/json", {"apiary": apiary}, apiary)


def scale(hive, day):
    """Grams on the scale: made up, but always the same for a hive and a day."""
    return 28_000 + int.from_bytes(hashlib.sha256(f"{hive}/{day}".encode()).digest()[:2], "big") % 20_000


def problem(status, title, where):
    """An answer that says what went wrong (RFC 9457)."""
    body = json.dumps({"title": title, "status": status, "instance": where}, ensure_ascii=False)
    return {"status": status, "headers": [("content-type", "application/problem+json")], "data": body}
