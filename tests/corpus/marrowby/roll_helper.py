def call_out(names, out):
    for name in names:
        out.set(name.strip())


def run(arrival, roll, log):
    call_out(arrival["load"].decode().split(","), roll)
