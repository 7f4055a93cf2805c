import json

from marrowby import belts, folios


def run(arrival, log):
    order = json.loads(arrival["load"])
    stock = folios.look("honey", {"kind": order["kind"]})
    if stock is None or stock["grams"] < order["grams"]:
        raise RuntimeError(f"not enough {order['kind']}")
    belts.put("packing", arrival["load"], kind=arrival["kind"], marks=arrival["marks"], row=arrival["row"])
