from urllib.parse import unquote


def summarise(turn, kit):
    for number, notice in turn["notices"].items():
        if notice["op"] != "w":
            continue
        bucket, _, key = unquote(notice["path"]).strip("/").partition("/")
        content = kit.stores(bucket).get(key)
        kit.note(f"{number}: {len(content)} of {notice['bytes']}")
        colours = [v for note in notice.get("notes", []) for k, v in note.items() if k == "colour"]
        kit.line("sums").send(content, heads={"key": key, "colours": ",".join(colours)})
