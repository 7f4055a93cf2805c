from marrowby import chests


def run(arrival, log):
    if arrival["sort"] == "taken":
        chests.empty("sums", arrival["sheet"])
    elif arrival["marks"]:
        chests.lay("marks", arrival["sheet"], arrival["marks"]["by"], kind="text/plain", marks=arrival["marks"])
    log.line("tidied", sort=arrival["sort"] != "taken", of=log.of)
