ALLOWED = ("calm", "nervous")


def run(visit, hive, log):
    """A hive's page is written by what the route captures."""
    mood = visit["asked"].get("mood", ["calm"])[0]
    if mood not in ALLOWED:
        return {"mark": 422, "load": f"no such mood: {mood}"}
    page = {"mood": mood, "before": (hive or {}).get("mood")}
    log.line("stamped", **page)
    return {"mark": 200, "lines": [["content-type", "text/plain"]], "load": f"{page['before']} -> {mood}"}
