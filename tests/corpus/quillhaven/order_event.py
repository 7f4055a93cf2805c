import json

from quillhaven import on, trays, volumes


@on.task("order_event", settings={"LEAST": "250"})
@on.event(tray="orders")
def run(event, desk):
    order = json.loads(event.data)
    stock = volumes.open("honey", {"kind": order["kind"]})
    if stock is None:
        raise LookupError(order["kind"])
    trays.send("packing", event.data, event.datacontenttype, event.notes, event.partitionkey)
    desk.write("packed", times=event.delivery)
