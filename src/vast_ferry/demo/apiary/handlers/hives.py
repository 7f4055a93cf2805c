"""What a hive weighs, day by day, as its scale told."""

import base64
import hashlib
import hmac
import json
import os
import struct
from urllib.parse import parse_qs, quote

from ostermere import books, lines

GRAMS = {"kg": 1000, "g": 1, "lb": 453.59237}


def weight(event, ctx):
    call = event["call"]
    hive = call["slots"]["hive"]
    asked = parse_qs(call["search"], keep_blank_values=True)
    if "day" not in asked:
        ctx.note("no day was asked for", hive=hive)
        return problem(400, "Which day? Ask with ?day=mon", call["path"])
    unit = call["first"].get("unit") or os.environ["UNIT"]
    if unit not in GRAMS:
        return problem(422, f"{unit} is no unit of weight", call["path"])
    grams = [scale(hive, day) for day in asked["day"]]

    if event["fields"].get("accept") == "application/octet-stream":
        packed = base64.b64encode(struct.pack(f">{len(grams)}I", *grams)).decode()
        return {"code": 200, "fields": {"content-type": "application/octet-stream"}, "content": packed, "packed": True}

    seen = [crumb.partition("=")[2] for crumb in event["crumbs"] if crumb.startswith("last=")]
    body = {
        "hive": hive,
        "unit": unit,
        "weights": [{"day": day, "weight": round(g / GRAMS[unit], 3)} for day, g in zip(asked["day"], grams)],
        "grams_ever": 12345678901234567890 + sum(grams),
        "last_seen": seen[0] if seen else None,
        "sign": hmac.new(ctx.sealed("SCALE_KEY").encode(), hive.encode(), hashlib.sha256).hexdigest()[:12],
    }
    return {
        "code": 200,
        "fields": {"content-type": "application/json; charset=utf-8", "cache-control": "private, max-age=60"},
        "crumbs": [f"last={quote(asked['day'][-1])}; Path=/hives; Max-Age=604800", "unit=" + unit + "; Path=/"],
        "content": json.dumps(body, ensure_ascii=False),
    }


def moved(event, ctx):
    """A hive stands elsewhere now: the move is kept, and the wardens of both apiaries are told."""
    for entry in event["batch"]:
        before, after = entry["was"]["apiary"], entry["now"]["apiary"]
        if before == after:
            continue
        hive = entry["key"]["hive"]
        books.write("moves", {"hive": hive, "seq": entry["seq"]}, {"from": before, "to": after, "at": entry["at"]})
        for apiary in (before, after):
            text = json.dumps({"hive": hive, "from": before, "to": after})
            lines.post("wardens", text, notes={"apiary": apiary}, group=apiary, form="application/json")
        ctx.note("moved", hive=hive)


def scale(hive, day):
    """Grams on the scale: made up, but always the same for a hive and a day."""
    digest = hashlib.sha256(f"{hive}/{day}".encode()).digest()
    return 28_000 + int.from_bytes(digest[:2], "big") % 20_000


def problem(code, title, where):
    """An answer that says what went wrong (RFC 9457)."""
    return {
        "code": code,
        "fields": {"content-type": "application/problem+json"},
        "content": json.dumps({"title": title, "status": code, "instance": where}, ensure_ascii=False),
    }
