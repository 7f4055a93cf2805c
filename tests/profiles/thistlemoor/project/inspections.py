import json
import os

from thistlemoor import Refused

LIMIT = int(os.environ.get("LIMIT", "3"))


def record(turn, kit):
    ask = turn["ask"]
    hive = next(one["hive"] for one in turn["match"]["vars"] if "hive" in one)
    verb, target, _ = ask["line"].split(" ")
    if verb != "POST":
        raise Refused("bad", "only POST")
    try:
        data = json.loads(load_of(ask))
    except ValueError:
        raise Refused("bad", "no JSON") from None
    if len(data.get("notes", [])) > LIMIT:
        raise Refused("bad", f"more than {LIMIT} notes")
    who = turn["who"]
    by = who["sub"] if who["kind"] == "user" else "nobody"
    kit.stores("inspections").put(f"{hive}.json", json.dumps({"by": by, **data}), kind="application/json")
    kit.note("recorded", hive=hive)
    return [201, f"location: /hives/{hive}\r\nx-unit: {os.environ['UNIT']}\r\n", json.dumps({"hive": hive, "sid": ask["jar"].get("sid")})]


def load_of(ask):
    import base64

    load = ask["load"]
    if load["as"] == "none":
        return b""
    if load["as"] == "b64":
        return base64.b64decode(load["is"])
    return load["is"].encode()


def show(turn, kit):
    row = kit.sheet("hives").row(hive=turn["match"]["vars"][0]["hive"]).read()
    if row is None:
        raise Refused("missing", "no such hive")
    host, port = turn["peer"]
    return [200, f"x-peer: {host}\r\n", row]
