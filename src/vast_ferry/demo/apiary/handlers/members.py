"""Someone joined the cooperative."""

from ostermere import books, lines


def hello(event, ctx):
    member = event["about"].removeprefix("members/")
    known = books.read("members", {"member": member})
    if known:
        ctx.note("already a member", member=member)
        return
    told = event["content"] or {}
    books.write("members", {"member": member}, {"name": told.get("name"), "hives": told.get("hives", 0), "since": event["at"]})
    lines.post("letters", f"Welcome, {told.get('name') or member}!", notes={"member": member}, form="text/plain; charset=utf-8")
