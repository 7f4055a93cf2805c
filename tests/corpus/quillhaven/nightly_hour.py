from datetime import datetime, timedelta

from quillhaven import on, shelves, volumes


@on.task("nightly_hour")
@on.hour("FREQ=DAILY;BYHOUR=2;BYMINUTE=0")
def run(event, desk):
    due = datetime.fromisoformat(event.data.due)
    flow = volumes.open("nectar", {"day": f"{due - timedelta(days=1):%Y-%m-%d}"}) or {}
    shelves.place("nectar", f"{due:%Y/%m}.txt", "\n".join(f"{k}={v}" for k, v in flow.items()))
