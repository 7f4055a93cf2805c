from ostermere import books, lines


def run(event, ctx):
    member = event["about"].rpartition("/")[2]
    if books.read("members", {"member": member}):
        return
    told = event.get("content") or {}
    books.write("members", {"member": member}, {"name": told.get("name", "?")})
    lines.post("letters", "Welcome " + told.get("name", "whoever you are"), notes={"member": member})
