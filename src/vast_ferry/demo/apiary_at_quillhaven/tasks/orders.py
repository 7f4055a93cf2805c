"""Honey orders, one at a time; swarms that were seen; what the night brings; who joined."""

import json
import os
import urllib.request
from datetime import datetime, timedelta

from quillhaven import on, shelves, trays, volumes


@on.task("honey_orders", settings={"SMALLEST_JAR": "250"})
@on.event(tray="honey-orders")
def take(event, desk):
    order = json.loads(event.data)
    if order["grams"] < int(os.environ["SMALLEST_JAR"]):
        return
    stock = volumes.open("honey", {"kind": order["kind"]}) or {"grams": 0}
    if stock["grams"] < order["grams"]:
        raise RuntimeError(f"not enough {order['kind']} for {order['order']}")  # it comes again
    volumes.write("honey", {"kind": order["kind"]}, {**stock, "grams": stock["grams"] - order["grams"]})
    volumes.write("orders", {"order": order["order"]}, {"member": order["member"], "grams": order["grams"]})
    trays.send("packing", event.data, event.datacontenttype, event.notes, event.partitionkey)


@on.task("swarm_alert", settings={"WARDENS": "https://wardens.lindenfold.example/alerts"}, locks={"WARDENS_KEY": "lock/wardens-key"})
@on.event(tray="swarms")
def swarm(event, desk):
    seen = json.loads(event.data)
    call = urllib.request.Request(
        os.environ["WARDENS"],
        data=json.dumps({"where": seen["where"], "high": seen.get("metres", 0) > 3}).encode(),
        headers={"content-type": "application/json", "authorization": "Key " + desk.unlock("WARDENS_KEY")},
        method="POST",
    )
    with urllib.request.urlopen(call, timeout=desk.time_left()) as answer:
        desk.write("called", warden=json.load(answer)["warden"])


@on.task("nectar_report", limit=120)
@on.hour("DTSTART;TZID=Europe/Prague:19700101T000000\nRRULE:FREQ=DAILY;BYHOUR=2;BYMINUTE=0")
def night(event, desk):
    day = (datetime.fromisoformat(event.data.due.replace("Z", "+00:00")) - timedelta(days=1)).date().isoformat()
    flow = volumes.open("nectar", {"day": day})
    if flow is None:
        desk.write("nothing was weighed", day=day)
        return
    lines = [f"Nectar on {day}", *(f"{apiary}: {grams} g" for apiary, grams in sorted(flow["grams"].items()))]
    shelves.place("reports", f"nectar/{day}.txt", "\n".join(lines) + "\n", "text/plain; charset=utf-8")


@on.task("member_joined")
@on.event(told="member.joined")
def hello(event, desk):
    member = event.subject.removeprefix("members/")
    if volumes.open("members", {"member": member}):
        return
    told = event.data or {}
    volumes.write("members", {"member": member}, {"name": told.get("name"), "since": event.time[:10]})
    trays.send("letters", f"Welcome, {told.get('name') or member}!", "text/plain", {"member": member})
