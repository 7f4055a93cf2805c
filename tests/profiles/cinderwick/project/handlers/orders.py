import json

import cinderwick


def fill(spark, hearth):
    again = []
    for number, crate in enumerate(spark["crates"]):
        order = json.loads(bytes(crate["stuff"]))
        stock = cinderwick.rows("honey").take({"kind": order["kind"]})
        if not stock or stock["grams"] < order["grams"]:
            hearth.say("short", order=order["order"], times=crate["again"])
            again.append(number)
            continue
        cinderwick.queue("packing").add(json.dumps(order), tags={name: values[0] for name, values in crate["tags"].items()}, lot=crate.get("lot"))
    return again
