"""What the night brings: how much nectar came in, as the scales told the day before."""

from datetime import datetime, timedelta, timezone

from ostermere import books, jobs, stores


def night(event, ctx):
    due = datetime.fromtimestamp(event["due"] / 1000, timezone.utc)
    day = (due - timedelta(days=1)).date().isoformat()
    flow = books.read("nectar", {"day": day})
    if flow is None:
        ctx.note("nothing was weighed", day=day)
        return
    lines = [f"Nectar on {day}", *(f"{apiary}: {grams} g" for apiary, grams in sorted(flow["grams"].items()))]
    stores.put("reports", f"nectar/{day}.txt", "\n".join(lines) + "\n", form="text/plain; charset=utf-8")
    if event["at"] - event["due"] > 600_000:
        ctx.note("late", by=event["at"] - event["due"])
    jobs.ask("send_report", {"name": event["name"], "day": day})
