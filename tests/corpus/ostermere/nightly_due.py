import datetime

from ostermere import books, lines


def run(event, ctx):
    due = datetime.datetime.fromtimestamp(event["due"] / 1000, tz=datetime.timezone.utc)
    day = (due - datetime.timedelta(days=1)).strftime("%Y-%m-%d")
    flow = books.read("nectar", {"day": day})
    if flow is None:
        lines.post("alarm", f"nothing on {day}, {event['at'] - event['due']} ms late")
        return
    lines.post("news", ", ".join(f"{place}: {grams}" for place, grams in sorted(flow.items())))
