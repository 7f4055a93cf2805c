"""Honey orders, one at a time, and swarms that were seen."""

import json
import os
import urllib.request

from thornwick import lanes, ledgers


def take(notice):
    order = notice.json()
    if order["grams"] < int(os.environ["SMALLEST_JAR"]):
        return
    try:
        stock = ledgers.look("honey", {"kind": order["kind"]})
    except KeyError:
        stock = {"grams": 0}
    if stock["grams"] < order["grams"]:
        raise RuntimeError(f"not enough {order['kind']} for {order['order']}")  # it comes again
    ledgers.enter("honey", {"kind": order["kind"]}, {**stock, "grams": stock["grams"] - order["grams"]})
    ledgers.enter("orders", {"order": order["order"]}, {"member": order["member"], "grams": order["grams"]})
    lanes.send("packing", notice.read(), media=notice.media, notes=notice.notes, file_in=notice.file_in)


def swarm(notice):
    seen = notice.json()
    call = urllib.request.Request(
        os.environ["WARDENS"],
        data=json.dumps({"where": seen["where"], "high": seen.get("metres", 0) > 3}).encode(),
        headers={"content-type": "application/json", "authorization": "Key " + notice.run.secret("WARDENS_KEY")},
        method="POST",
    )
    with urllib.request.urlopen(call, timeout=notice.run.left()) as answer:
        notice.run.say("called", warden=json.load(answer)["warden"], turn=notice.turn)
