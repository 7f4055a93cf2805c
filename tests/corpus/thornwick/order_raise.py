import os

from thornwick import lanes, ledgers


class NotEnough(Exception):
    pass


def run(notice):
    order = notice.json()
    if order["grams"] < int(os.environ["LEAST"]):
        notice.run.say("too small", order=order["order"])
        return
    stock = ledgers.look("honey", {"kind": order["kind"]})
    if stock["grams"] < order["grams"]:
        raise NotEnough(order["order"])
    ledgers.enter("honey", {"kind": order["kind"]}, {**stock, "grams": stock["grams"] - order["grams"]})
    lanes.send("packing", notice.text(), media=notice.media, notes=notice.notes, file_in=notice.file_in)
