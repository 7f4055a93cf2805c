import json

from dunmarsh import Drained


def summed(marsh):
    blob = marsh.input.blob
    name = "/".join(blob.name)
    silo = marsh.silo(blob.silo)
    try:
        data = silo.fetch(name)
    except Drained:
        marsh.croak(f"{name} is gone")
        return
    total = sum(int(line.split(",")[1]) for line in data.decode().splitlines()[1:])
    marsh.silo("sums").fill(f"{name}.json", json.dumps({"total": total, "kib": blob.kib, "by": dict(tag.split(":") for tag in blob.tags).get("by")}), kind="application/json")
