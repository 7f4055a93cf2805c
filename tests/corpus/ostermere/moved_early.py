from ostermere import books


def run(event, ctx):
    for entry in event["batch"]:
        was, now = entry["was"], entry["now"]
        if was["apiary"] == now["apiary"]:
            return
        books.write("moves", {"seq": entry["seq"]}, {"from": was["apiary"], "to": now["apiary"], **entry["key"]})
