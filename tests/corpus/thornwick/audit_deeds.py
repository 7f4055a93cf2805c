from thornwick import ledgers


def run(notice):
    if notice.deed == "struck":
        ledgers.strike("names", notice.entry)
    else:
        ledgers.enter("names", notice.entry, {"name": notice.after["name"], "was": (notice.before or {}).get("name"), "new": notice.deed == "entered"})
