def run(event, ctx):
    first = event["call"]["first"]
    if first.get("quiet"):
        return
    name = first.get("name") or "you"
    return f"Hello, {name}!"
