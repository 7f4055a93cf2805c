from thornwick import ledgers


def run(notice):
    told = notice.value
    if told is None:
        return
    ledgers.enter("members", {"member": notice.of.split("/")[1]}, {**told, "on": notice.moment[:10]})
