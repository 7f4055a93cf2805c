import datetime


class Label:
    def __init__(self, order):
        self.text = f"{order['jars']} x {order.get('kind', 'linden')}"


def run(order, printed, latest, log):
    label = Label(order)
    for number in range(order["jars"]):
        printed.set(f"{label.text} #{number + 1}")
    latest.set(label.text)
    log.line("printed", at=str(datetime.date(2026, 11, 25)), by=log.of)
