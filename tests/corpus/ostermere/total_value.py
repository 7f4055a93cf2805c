def run(event, ctx):
    data = event["content"]
    hives = (data or {}).get("hives", [])
    if not hives:
        return None
    return {"sum": sum(hives), "mean": sum(hives) / len(hives), "by": ctx.job}
