"""Someone joined the cooperative."""

from thornwick import lanes, ledgers


def hello(notice):
    member = notice.of.removeprefix("members/")
    try:
        ledgers.look("members", {"member": member})
        return
    except KeyError:
        told = notice.value or {}
    ledgers.enter("members", {"member": member}, {"name": told.get("name"), "since": notice.moment[:10]})
    lanes.send("letters", f"Welcome, {told.get('name') or member}!", media="text/plain", notes={"member": member})
