from urllib.parse import unquote

from quillhaven import on, shelves


@on.task("sheet_event")
@on.event(shelf="sheets", types=["shelf_placed"])
def run(event, desk):
    name = unquote(event.subject)
    if not name.endswith(".csv"):
        return
    rows = shelves.take("sheets", name).decode().splitlines()
    shelves.place("sums", name, f"{len(rows)} rows, {event.data.length} bytes", "text/plain", {"etag": event.data.etag or "none"})
