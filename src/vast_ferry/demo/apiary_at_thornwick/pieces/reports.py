"""What the night brings: how much nectar came in."""

from datetime import datetime, timedelta

from thornwick import ledgers, pieces, shelves


def night(notice):
    day = (datetime.fromisoformat(notice.wanted.replace("Z", "+00:00")) - timedelta(days=1)).date().isoformat()
    try:
        flow = ledgers.look("nectar", {"day": day})
    except KeyError:
        notice.run.say("nothing was weighed", day=day)
        return
    lines = [f"Nectar on {day}", *(f"{apiary}: {grams} g" for apiary, grams in sorted(flow["grams"].items()))]
    shelves.store("reports", f"nectar/{day}.txt", "\n".join(lines) + "\n", media="text/plain; charset=utf-8")
    pieces.start("send_report", {"name": notice.name, "day": day})
