"""How many labels of each kind were asked for."""


def run(order, printed, latest, log):
    jars = order.get("jars")
    if jars is None:
        log.line("no jars in the order")
        raise ValueError("jars?")
    kind = order.get("kind") or "linden"
    text = "\n".join(f"{kind} {n}" for n in range(1, jars + 1))
    printed.set(text)
    latest.set(f"{kind}: {jars}")
