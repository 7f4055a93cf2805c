from quillhaven import on, volumes


@on.task("joined_event")
@on.event(told="member.joined")
def run(event, desk):
    member = event.subject.removeprefix("members/")
    data = event.data if event.data else {"name": None}
    volumes.write("members", {"member": member}, {"name": data["name"], "since": event.time[:10]})
