import json


def fill(marsh):
    for item in marsh.input:
        order = json.loads("".join(item.load))
        stock = marsh.pool("honey")[order["kind"]].read()
        if not stock or stock["grams"] < order["grams"]:
            item.afloat(after=30 if item.seen else 5)
            continue
        marsh.channel("packing").float(json.dumps(order), tags=item.tags)
        item.sunk()
