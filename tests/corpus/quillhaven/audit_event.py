from quillhaven import on, volumes


@on.task("audit_event")
@on.event(volume="members")
def run(event, desk):
    kinds = {"page_added": "new", "page_edited": "changed", "page_torn": "gone"}
    volumes.write("audit", {"n": event.sequence}, {"what": kinds[event.type], "key": event.data.key, "now": event.data.after})
