from datetime import datetime, timedelta

from thornwick import ledgers, shelves


def day_before(text):
    return (datetime.fromisoformat(text.replace("Z", "+00:00")) - timedelta(days=1)).date().isoformat()


def run(notice):
    day = day_before(notice.wanted)
    try:
        flow = ledgers.look("nectar", {"day": day})
    except KeyError:
        flow = {}
    shelves.store("nectar", day, repr(sorted(flow.items())))
